#include "image/capture_files.h"

#include "base/files.h"
#include "base/unit.h"
#include "image/point_cloud.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <set>

namespace image
{
using base::ErrorCode;
using base::fail;
namespace fs = std::filesystem;

namespace
{
constexpr std::string_view kId = "{id}", kTile = "{tile}", kRow = "{row}", kColumn = "{column}";

std::size_t countOf(const std::string& text, std::string_view word)
{
    std::size_t n = 0;
    for (std::size_t at = text.find(word); at != std::string::npos; at = text.find(word, at + 1)) ++n;
    return n;
}
void replace(std::string& text, std::string_view word, const std::string& by)
{
    if (const auto at = text.find(word); at != std::string::npos) text.replace(at, word.size(), by);
}
// The name's pattern for one tile: only {id} is left open.
std::string ofTile(const std::string& file, const std::string& tile)
{
    std::string out = file;
    replace(out, kTile, tile);
    const auto dot = tile.find('.');
    replace(out, kRow, tile.substr(0, dot));
    replace(out, kColumn, dot == std::string::npos ? std::string() : tile.substr(dot + 1));
    return out;
}
// What {id} stands for in this file name; nothing when it does not fit.
std::optional<std::string> idIn(const std::string& leaf, const std::string& pattern)
{
    const auto at = pattern.find(kId);
    const std::string before = pattern.substr(0, at), after = pattern.substr(at + kId.size());
    const std::size_t own = before.size() + after.size();
    if (leaf.size() <= own || leaf.compare(0, before.size(), before) != 0 ||
        leaf.compare(leaf.size() - after.size(), after.size(), after) != 0)
        return std::nullopt;
    return leaf.substr(before.size(), leaf.size() - own);
}
// Every file of a picture as a pattern, with the key it has.
std::vector<std::pair<std::string, std::string>> patternsOf(const PictureName& n)
{
    if (!n.tiles) return {{n.key, n.file}};
    std::vector<std::pair<std::string, std::string>> out;
    for (const TilePlan::Tile& t : n.tiles->tiles) out.emplace_back(n.key + "/" + t.name, ofTile(n.file, t.name));
    return out;
}
std::string listed(const Naming& naming)
{
    std::string out;
    for (const PictureName& n : naming) out += (out.empty() ? "" : ", ") + n.file;
    return out;
}
} // namespace

base::Status check(const Naming& naming)
{
    if (naming.size() > kMostPictures)
        return fail(ErrorCode::OutOfRange, std::to_string(naming.size()) + " pictures; a capture has at most " +
                                               std::to_string(kMostPictures));
    std::set<std::string> keys, files;
    for (const PictureName& n : naming) {
        const auto at = n.file.find(kId);
        if (n.key.empty()) return fail(ErrorCode::InvalidArgument, "a picture without a key");
        if (!keys.insert(n.key).second)
            return fail(ErrorCode::InvalidArgument, "the picture \"" + n.key + "\" stands twice");
        if (n.key.find('/') != std::string::npos)
            return fail(ErrorCode::InvalidArgument, "a picture's key holds no slash", n.key);
        if (at == std::string::npos || n.file.find(kId, at + 1) != std::string::npos)
            return fail(ErrorCode::InvalidArgument,
                        "file = \"" + n.file + "\" must hold {id} once, as in {id}-" + n.key + ".png", n.key);
        if (n.file.find('/') != std::string::npos)
            return fail(ErrorCode::InvalidArgument, "file = \"" + n.file + "\" must be a name without folders", n.key);
        const std::size_t tile = countOf(n.file, kTile), row = countOf(n.file, kRow), column = countOf(n.file, kColumn);
        if (!n.tiles && tile + row + column > 0)
            return fail(ErrorCode::InvalidArgument,
                        "file = \"" + n.file + "\" tells tiles apart, and there is no plan of them", n.key);
        if (n.tiles) {
            if (!(tile == 1 && row + column == 0) && !(tile == 0 && row == 1 && column == 1))
                return fail(ErrorCode::InvalidArgument,
                            "file = \"" + n.file +
                                "\" must hold {tile} once, or {row} and {column}, as in {id}_{row}_{column}.png",
                            n.key);
            if (n.height) return fail(ErrorCode::InvalidArgument, "heights cannot be joined from tiles", n.key);
            if (auto ok = check(*n.tiles); !ok) return base::passOn(ok.error(), n.key);
            for (const TilePlan::Tile& t : n.tiles->tiles)
                if (t.name.empty() || t.name.find('/') != std::string::npos || (row == 1 && countOf(t.name, ".") != 1))
                    return fail(ErrorCode::InvalidArgument,
                                "the tile \"" + t.name + "\" is to be called by row and column, as in 1.2", n.key);
        }
        if (!files.insert(n.file).second)
            return fail(ErrorCode::InvalidArgument, "file = \"" + n.file + "\" stands twice", n.key);
    }
    return {};
}

base::Result<CaptureFiles> filesOf(const Naming& naming, const std::string& path)
{
    const fs::path place(path);
    CaptureFiles out;
    if (naming.empty()) {
        out.id = place.stem().string();
        out.files.emplace_back("", path);
        return out;
    }
    const std::string leaf = place.filename().string();
    std::size_t most = 0;
    for (const PictureName& n : naming)
        for (const auto& [key, pattern] : patternsOf(n))
            if (const auto id = idIn(leaf, pattern); id && (out.id.empty() || pattern.size() > most)) {
                out.id = *id;
                most = pattern.size();
            }
    if (out.id.empty())
        return fail(ErrorCode::InvalidArgument, "the file's name fits none of the recipe's pictures: " + listed(naming),
                    path);
    for (const PictureName& n : naming) {
        if (n.idle) continue;
        for (auto [key, pattern] : patternsOf(n)) {
            replace(pattern, kId, out.id);
            out.files.emplace_back(key, (place.parent_path() / pattern).string());
        }
    }
    return out;
}

std::vector<std::string> captures(const Naming& naming, const std::vector<std::string>& paths)
{
    if (naming.empty()) return paths;
    std::vector<std::string> out;
    std::set<std::string> there;
    for (const std::string& path : paths) {
        const auto files = filesOf(naming, path);
        const std::string& first = files ? files->first() : path;
        if (there.insert(first).second) out.push_back(first);
    }
    return out;
}

std::string stampOf(const Naming& naming, const std::string& path)
{
    const auto files = filesOf(naming, path);
    std::string out;
    if (files)
        for (const auto& [key, file] : files->files)
            out += base::stampOf(file) + ";" + base::stampOf(scaleFileOf(file)) + ";";
    return out;
}

namespace
{
constexpr std::string_view kScaleLine = "\n# height-scale ";
constexpr std::size_t kLongestScale = 4096;

// A picture's bytes and the scale that stands behind them.
struct Parted {
    const std::string* bytes;
    std::string own; // when a scale had to be cut off
    std::string scale;
};
Parted partedOf(const std::string& bytes)
{
    const std::size_t from = bytes.size() > kLongestScale ? bytes.size() - kLongestScale : 0;
    const std::size_t at = bytes.rfind(kScaleLine);
    if (at == std::string::npos || at < from || bytes.back() != '\n') return {&bytes, {}, {}};
    Parted out{nullptr, bytes.substr(0, at), {}};
    const std::size_t text = at + kScaleLine.size();
    out.scale = bytes.substr(text, bytes.size() - 1 - text);
    return out;
}
} // namespace

std::string scaleFileOf(const std::string& path)
{
    const fs::path p(path);
    return (p.parent_path() / (p.stem().string() + kScaleEnding)).string();
}

base::Result<HeightScale> scaleFrom(const std::string& text, const std::string& where)
{
    const auto j = nlohmann::json::parse(text, nullptr, false);
    if (!j.is_object()) return fail(ErrorCode::Corrupt, "is no JSON object", where);
    HeightScale out;
    for (const auto& [key, value] : j.items()) {
        if (!value.is_number()) return fail(ErrorCode::InvalidArgument, key + " must be a number", where);
        const double x = value.get<double>();
        const auto within = [&](double low, double high) -> base::Status {
            if (x >= low && x <= high) return {};
            return fail(ErrorCode::OutOfRange,
                        key + " = " + base::shortest(x) + "; " + base::shortest(low) + " to " + base::shortest(high) +
                            " are possible",
                        where);
        };
        const auto cells = [&]() -> base::Status {
            if (x != std::floor(x))
                return fail(ErrorCode::InvalidArgument, key + " = " + base::shortest(x) + "; must be a whole number",
                            where);
            return within(0, 200'000);
        };
        base::Status ok;
        if (!std::isfinite(x)) return fail(ErrorCode::InvalidArgument, key + " must be a number", where);
        if (key == "mm_per_step") ok = within(1e-9, 1e6), out.mmPerStep = x;
        else if (key == "offset_mm") ok = within(-1e9, 1e9), out.offsetMm = x;
        else if (key == "pixel_mm") ok = within(0, 1e6), out.pixelMm = x;
        else if (key == "missing") out.missing = x;
        else if (key == "left_mm") ok = within(-1e9, 1e9), out.raster.leftMm = x;
        else if (key == "top_mm") ok = within(-1e9, 1e9), out.raster.topMm = x;
        else if (key == "width") ok = cells(), out.raster.width = ok ? int(x) : 0;
        else if (key == "height") ok = cells(), out.raster.height = ok ? int(x) : 0;
        else
            ok = fail(ErrorCode::InvalidArgument,
                      "the field \"" + key +
                          "\" is not known; there are mm_per_step, offset_mm, pixel_mm, missing, left_mm, top_mm, "
                          "width, height",
                      where);
        if (!ok) return base::passOn(ok.error());
    }
    return out;
}

std::string toText(const HeightScale& s)
{
    nlohmann::json j{{"mm_per_step", s.mmPerStep}};
    if (s.offsetMm != 0) j["offset_mm"] = s.offsetMm;
    if (s.pixelMm > 0) j["pixel_mm"] = s.pixelMm;
    if (s.missing) j["missing"] = *s.missing;
    if (s.raster.width > 0) {
        j["left_mm"] = s.raster.leftMm, j["top_mm"] = s.raster.topMm;
        j["width"] = s.raster.width, j["height"] = s.raster.height;
    }
    return j.dump();
}

base::Result<std::vector<FileBytes>> readCapture(const Naming& naming, const std::string& path)
{
    const auto files = filesOf(naming, path);
    if (!files) return base::passOn(files.error());
    std::vector<FileBytes> out;
    for (const auto& [key, file] : files->files) {
        const bool tile = key.find('/') != std::string::npos;
        // A tile that is not there is a hole; without any there is no picture.
        if (tile && !fs::exists(file)) continue;
        auto bytes = base::readFile(file);
        if (!bytes) {
            base::Error e = bytes.error();
            if (!key.empty()) e.message = "picture \"" + key + "\": " + e.message;
            return base::passOn(e);
        }
        if (const std::string beside = scaleFileOf(file); fs::exists(beside)) {
            auto text = base::readFile(beside);
            if (!text) return base::passOn(text.error());
            auto scale = scaleFrom(*text, beside);
            if (!scale) return base::passOn(scale.error());
            if (Parted old = partedOf(*bytes); !old.bytes) *bytes = std::move(old.own);
            *bytes += std::string(kScaleLine) + toText(*scale) + "\n";
        }
        out.push_back({key, file, std::make_shared<const std::string>(std::move(*bytes))});
    }
    for (const PictureName& n : naming)
        if (n.tiles && !n.idle &&
            std::none_of(out.begin(), out.end(), [&](const FileBytes& b) { return pictureOf(b.key) == n.key; }))
            return fail(ErrorCode::NotFound, "picture \"" + n.key + "\": none of its tiles is there",
                        (fs::path(path).parent_path() / n.file).string());
    return out;
}

namespace
{
// `free`: what it holds is for the file to say.
base::Result<Picture> decodedOne(const FileBytes& f, std::optional<HeightScale> scale, bool free)
{
    const Parted parts = partedOf(*f.bytes);
    const std::string& bytes = parts.bytes ? *parts.bytes : parts.own;
    if (!parts.scale.empty()) {
        auto own = scaleFrom(parts.scale, f.path);
        if (!own) return base::passOn(own.error());
        scale = *own;
    }
    const std::string who = f.key.empty() ? "the picture" : "picture \"" + f.key + "\"";
    const bool cloud = looksLikeCloud(bytes, f.path);
    auto pixels = cloud ? decodeCloud(bytes, scale.value_or(HeightScale{}), f.path) : decode(bytes, f.path);
    if (!pixels) return base::passOn(pixels.error());
    const PixelFormat format = pixels->format();
    if (!free && format == PixelFormat::Real32)
        return fail(ErrorCode::InvalidArgument,
                    who + " holds heights; the recipe takes it for light: state its height scale there", f.path);
    // A cloud's z is in mm already.
    if (cloud) scale->mmPerStep = 1, scale->offsetMm = 0, scale->missing.reset();
    if (scale && format != PixelFormat::Grey16 && format != PixelFormat::Real32)
        return fail(ErrorCode::InvalidArgument, who + " holds heights and must be 16 bit grey or float", f.path);
    if (scale || format == PixelFormat::Real32)
        return makeHeights(std::move(*pixels), scale.value_or(HeightScale{}), f.key);
    return makePicture(std::move(*pixels), f.key);
}

base::Status sameSize(const std::vector<Picture>& before, const Picture& p, const std::string& path)
{
    if (before.empty()) return {};
    const Image& first = before.front().pixels;
    if (p.pixels.width() == first.width() && p.pixels.height() == first.height()) return {};
    return fail(ErrorCode::InvalidArgument,
                "picture \"" + p.key + "\" has " + std::to_string(p.pixels.width()) + " × " +
                    std::to_string(p.pixels.height()) + " px, \"" + before.front().key + "\" has " +
                    std::to_string(first.width()) + " × " + std::to_string(first.height()) +
                    ": the pictures of a capture lie on each other",
                path);
}

// All tiles of one picture that are there, joined.
base::Result<Picture> joinedFrom(const PictureName& name, const std::vector<FileBytes>& files)
{
    std::vector<Image> tiles(name.tiles->tiles.size());
    std::string path;
    for (const FileBytes& f : files) {
        if (pictureOf(f.key) != name.key) continue;
        const std::string tile = f.key.substr(name.key.size() + 1);
        for (std::size_t i = 0; i < tiles.size(); ++i)
            if (name.tiles->tiles[i].name == tile) {
                auto one = decodedOne(f, {}, false);
                if (!one) return base::passOn(one.error());
                tiles[i] = std::move(one->pixels);
                if (path.empty()) path = f.path;
            }
    }
    auto joined = join(*name.tiles, tiles);
    if (!joined) return base::passOn(joined.error(), path);
    Picture out = makePicture(std::move(joined->pixels), name.key);
    out.joined = std::make_shared<const Joined>(std::move(joined->how));
    return out;
}

base::Result<Capture> decoded(const Naming& naming, const std::vector<FileBytes>& files, std::string id, bool keepFiles)
{
    std::vector<Picture> pictures;
    for (const FileBytes& f : files) {
        const auto name =
            std::find_if(naming.begin(), naming.end(), [&](const auto& n) { return n.key == pictureOf(f.key); });
        if (f.key.find('/') != std::string::npos) {
            if (name == naming.end() || !name->tiles)
                return fail(ErrorCode::InvalidArgument,
                            "\"" + f.key + "\" is a tile, and the recipe has no plan of tiles", f.path);
            // With its first one all are joined.
            if (std::any_of(pictures.begin(), pictures.end(), [&](const Picture& p) { return p.key == name->key; }))
                continue;
            auto picture = joinedFrom(*name, files);
            if (!picture) return base::passOn(picture.error());
            if (auto ok = sameSize(pictures, *picture, f.path); !ok) return base::passOn(ok.error());
            pictures.push_back(std::move(*picture));
            continue;
        }
        auto picture = decodedOne(f, name == naming.end() ? std::optional<HeightScale>() : name->height,
                                  name == naming.end() || name->height);
        if (!picture) return base::passOn(picture.error());
        Picture p = std::move(*picture);
        if (keepFiles) {
            p.file = f.bytes;
            p.fileName = fs::path(f.path).filename().string();
        }
        if (auto ok = sameSize(pictures, p, f.path); !ok) return base::passOn(ok.error());
        pictures.push_back(std::move(p));
    }
    return Capture(std::move(id), std::move(pictures));
}
} // namespace

std::string pictureOf(const std::string& key) { return key.substr(0, key.find('/')); }

base::Result<Capture> captureOf(const Naming& naming, const std::vector<FileBytes>& files, std::string id)
{
    return decoded(naming, files, std::move(id), true);
}

base::Result<Capture> loadCapture(const std::string& path, const Naming& naming)
{
    const auto files = readCapture(naming, path);
    if (!files) return base::passOn(files.error());
    return decoded(naming, *files, files->front().path, false);
}

} // namespace image
