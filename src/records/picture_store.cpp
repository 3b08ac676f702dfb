#include "records/picture_store.h"

#include "base/text.h"
#include "image/decode.h"

#include <algorithm>
#include <filesystem>

namespace records
{
namespace fs = std::filesystem;

base::Result<PictureStore::Kept> PictureStore::keep(const image::Picture& picture, const std::string& hash)
{
    std::string made, end = ".png";
    if (picture.file) {
        end = fs::path(picture.fileName).extension().string();
        std::transform(end.begin(), end.end(), end.begin(), [](unsigned char c) { return char(std::tolower(c)); });
    } else {
        auto png = image::encodePng(picture.pixels);
        if (!png) return base::passOn(png.error());
        made = std::move(*png);
    }
    const std::string& bytes = picture.file ? *picture.file : made;
    Kept out;
    out.hash = picture.file && !hash.empty() ? hash : base::sha256(bytes);
    const fs::path folder = fs::path(m_folder) / out.hash.substr(0, 2);
    out.path = (folder / (out.hash + end)).string();
    std::error_code error;
    // What stands there is whole: it came by a rename.
    if (fs::exists(out.path, error)) return out;
    fs::create_directories(folder, error);
    if (error) return base::fail(base::ErrorCode::Io, "cannot make the folder: " + error.message(), folder.string());
    if (auto ok = base::writeAtomic(m_files, out.path, bytes); !ok) return base::passOn(ok.error());
    return out;
}

} // namespace records
