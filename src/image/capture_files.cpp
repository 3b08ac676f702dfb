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

base::Result<Capture> decoded(const Naming& naming, const std::vector<FileBytes>& files, std::string id, bool keepFiles)
{
    std::vector<Picture> pictures;
    for (const FileBytes& f : files) {
        const auto name = std::find_if(naming.begin(), naming.end(), [&](const auto& n) { return n.key == f.key; });
        auto picture = decodedOne(f, name == naming.end() ? std::optional<HeightScale>() : name->height,
                                  name == naming.end() || name->height);
        if (!picture) return base::passOn(picture.error());
        Picture p = std::move(*picture);
        if (keepFiles) {
            p.file = f.bytes;
            p.fileName = fs::path(f.path).filename().string();
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
