// capture_files.h - which files are the pictures of one capture, and reading them.
//
// Input   a naming: for each picture of a capture its key and the name of its file, in which {id} stands for what all
//         of them share: "{id}-dome.png". An empty naming: every picture is a capture of its own, whatever its name.
// Output  the capture any one of its files belongs to. Of two names that fit, the one with more letters of its own
//         does.
// Heights: 16 bit grey pictures with the scale the recipe gives; float and signed TIFF pictures in mm, or in steps of
//         that scale; point clouds. A picture's own scale stands in a small file beside it, NAME.scale.json, and goes
//         before the recipe's:
//           {"mm_per_step": 0.001, "offset_mm": 0, "pixel_mm": 0.05, "missing": 0}
//         Whoever keeps a picture's bytes keeps its scale: as a last line "# height-scale {…}" behind them.
// Tiles: those whose file is not there are holes (tiles.h); without any of them the capture cannot be read.
// Fails   InvalidArgument: a file that fits no name, naming them; two pictures of different size; heights in a picture
//         that is not 16 bit grey; a field of a scale, naming file, field and bound. NotFound, Io, Corrupt …: as
//         decode.h and point_cloud.h, naming the file.
#pragma once
#include "image/capture.h"
#include "image/decode.h"
#include "image/tiles.h"

namespace image
{

struct PictureName {
    std::string key;                   // "dome"
    std::string file;                  // "{id}-dome.png"
    std::optional<HeightScale> height; // it holds heights, of this scale
    // It is joined from tiles, whose files are told apart by {tile}, or {row} and {column}.
    std::optional<TilePlan> tiles{};
    bool idle = false; // nobody looks at it: its file is not read; never stored
    friend bool operator==(const PictureName&, const PictureName&) = default;
};
using Naming = std::vector<PictureName>;
constexpr std::size_t kMostPictures = 16; // of a capture
// Fails with InvalidArgument or OutOfRange: no or more than one {id}, a folder in it, keys or names that stand twice.
base::Status check(const Naming& naming);

struct CaptureFiles {
    std::string id; // what {id} stands for; of a capture without names the file's name without its ending
    // Key and path, in the naming's order. Of a tile the key is the picture's, a slash and the tile's name: "plate/1.2".
    std::vector<std::pair<std::string, std::string>> files;
    const std::string& first() const { return files.front().second; }
};
base::Result<CaptureFiles> filesOf(const Naming& naming, const std::string& path);
// Every capture once, by its first picture's path, in the order in which one of its files is met. Files that fit no
// name stay as they are, so that they are refused by name when they are read.
std::vector<std::string> captures(const Naming& naming, const std::vector<std::string>& paths);
// Changes when one of its files does.
std::string stampOf(const Naming& naming, const std::string& path);

struct FileBytes {
    std::string key, path;
    std::shared_ptr<const std::string> bytes;
};
constexpr const char* kScaleEnding = ".scale.json";
// The file beside a picture that may state its scale.
std::string scaleFileOf(const std::string& path);
base::Result<HeightScale> scaleFrom(const std::string& text, const std::string& where);
std::string toText(const HeightScale& scale); // JSON, as scaleFrom() reads it
base::Result<std::vector<FileBytes>> readCapture(const Naming& naming, const std::string& path);
// The picture a file's key belongs to, without the tile.
std::string pictureOf(const std::string& key);
// Decoded; tiles are joined. The capture keeps the files' bytes, so that they can be put aside as they came.
base::Result<Capture> captureOf(const Naming& naming, const std::vector<FileBytes>& files, std::string id);
// The id is the first picture's path. The bytes are not kept.
base::Result<Capture> loadCapture(const std::string& path, const Naming& naming = {});

} // namespace image
