#include "image/capture_files.h"

#include "base/files.h"

#include <algorithm>
#include <filesystem>
#include <set>

namespace image
{
using base::ErrorCode;
using base::fail;
namespace fs = std::filesystem;

namespace
{
constexpr std::string_view kId = "{id}";

struct Halves {
    std::string before, after;
};
Halves halvesOf(const std::string& file)
{
    const auto at = file.find(kId);
    return {file.substr(0, at), file.substr(at + kId.size())};
}
// What {id} stands for in this file name; nothing when it does not fit.
std::optional<std::string> idIn(const std::string& leaf, const PictureName& name)
{
    const Halves h = halvesOf(name.file);
    const std::size_t own = h.before.size() + h.after.size();
    if (leaf.size() <= own || leaf.compare(0, h.before.size(), h.before) != 0 ||
        leaf.compare(leaf.size() - h.after.size(), h.after.size(), h.after) != 0)
        return std::nullopt;
    return leaf.substr(h.before.size(), leaf.size() - own);
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
        if (at == std::string::npos || n.file.find(kId, at + 1) != std::string::npos)
            return fail(ErrorCode::InvalidArgument,
                        "file = \"" + n.file + "\" must hold {id} once, as in {id}-" + n.key + ".png", n.key);
        if (n.file.find('/') != std::string::npos)
            return fail(ErrorCode::InvalidArgument, "file = \"" + n.file + "\" must be a name without folders", n.key);
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
        if (const auto id = idIn(leaf, n); id && (out.id.empty() || n.file.size() > most)) {
            out.id = *id;
            most = n.file.size();
        }
    if (out.id.empty())
        return fail(ErrorCode::InvalidArgument, "the file's name fits none of the recipe's pictures: " + listed(naming),
                    path);
    for (const PictureName& n : naming) {
        const Halves h = halvesOf(n.file);
        out.files.emplace_back(n.key, (place.parent_path() / (h.before + out.id + h.after)).string());
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
        for (const auto& [key, file] : files->files) out += base::stampOf(file) + ";";
    return out;
}

base::Result<std::vector<FileBytes>> readCapture(const Naming& naming, const std::string& path)
{
    const auto files = filesOf(naming, path);
    if (!files) return base::passOn(files.error());
    std::vector<FileBytes> out;
    for (const auto& [key, file] : files->files) {
        auto bytes = base::readFile(file);
        if (!bytes) {
            base::Error e = bytes.error();
            if (!key.empty()) e.message = "picture \"" + key + "\": " + e.message;
            return base::passOn(e);
        }
        out.push_back({key, file, std::make_shared<const std::string>(std::move(*bytes))});
    }
    return out;
}

namespace
{
base::Result<Capture> decoded(const Naming& naming, const std::vector<FileBytes>& files, std::string id, bool keepFiles)
{
    std::vector<Picture> pictures;
    for (const FileBytes& f : files) {
        auto pixels = decode(*f.bytes, f.path);
        if (!pixels) return base::passOn(pixels.error());
        Picture p = makePicture(std::move(*pixels), f.key);
        if (keepFiles) {
            p.file = f.bytes;
            p.fileName = fs::path(f.path).filename().string();
        }
        const auto name = std::find_if(naming.begin(), naming.end(), [&](const auto& n) { return n.key == f.key; });
        if (name != naming.end() && name->height) {
            if (p.pixels.format() != PixelFormat::Grey16)
                return fail(ErrorCode::InvalidArgument,
                            "picture \"" + f.key + "\" holds heights and must be 16 bit grey", f.path);
            p.content = Content::Height;
            p.scale = name->height;
        }
        if (!pictures.empty()) {
            const Image& first = pictures.front().pixels;
            if (p.pixels.width() != first.width() || p.pixels.height() != first.height())
                return fail(ErrorCode::InvalidArgument,
                            "picture \"" + f.key + "\" has " + std::to_string(p.pixels.width()) + " × " +
                                std::to_string(p.pixels.height()) + " px, \"" + pictures.front().key + "\" has " +
                                std::to_string(first.width()) + " × " + std::to_string(first.height()) +
                                ": the pictures of a capture lie on each other",
                            f.path);
        }
        pictures.push_back(std::move(p));
    }
    return Capture(std::move(id), std::move(pictures));
}
} // namespace

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
