#include "demo/set_writer.h"

#include "base/files.h"
#include "base/parallel.h"
#include "image/decode.h"
#include "recipe/calibration_file.h"
#include "recipe/recipe_file.h"

#include <filesystem>

namespace demo
{
using geometry::Point;
using nlohmann::json;

base::Status writeMade(const std::string& folder, const Made& m, const std::string& leaf, bool alone)
{
    auto& files = base::realFiles();
    const auto path = [&](const std::string& name) { return (std::filesystem::path(folder) / name).string(); };
    const std::string stem = leaf.substr(0, leaf.rfind('.'));
    const auto writePng = [&](const image::Image& picture, const std::string& name) -> base::Status {
        auto png = image::encodePng(picture);
        if (!png) return base::passOn(png.error());
        return files.write(path(name), *png);
    };
    if (!m.picture.empty())
        if (auto ok = writePng(m.picture, leaf); !ok) return ok;
    for (const auto& [tile, picture] : m.tiles)
        if (auto ok = writePng(picture, stem + "_" + tile + ".png"); !ok) return ok;
    for (const auto& [key, picture] : m.lights)
        if (auto ok = writePng(picture, stem + "-" + key + ".png"); !ok) return ok;
    if (!m.heights) return {};
    const bool real = m.heights->format() == image::PixelFormat::Real32;
    auto bytes = real ? image::encodeTiff(*m.heights) : image::encodePng(*m.heights);
    if (!bytes) return base::passOn(bytes.error());
    return files.write(path(stem + (alone ? "" : "-z") + (real ? ".tif" : ".png")), *bytes);
}

base::Status writeSet(const std::string& folder, const SetNames& names, std::uint64_t seed, int count,
                      const Field& field, const Made& reference, json recipe, const std::function<Made(int)>& make)
{
    namespace fs = std::filesystem;
    std::error_code error;
    fs::create_directories(folder, error);
    if (error) return base::fail(base::ErrorCode::Io, "cannot make the folder: " + error.message(), folder);
    auto& files = base::realFiles();
    const auto path = [&](const std::string& leaf) { return (fs::path(folder) / leaf).string(); };
    const bool tiled = !reference.tiles.empty(), alone = reference.picture.empty() && !tiled;
    const auto writePicture = [&](const Made& m, const std::string& leaf) { return writeMade(folder, m, leaf, alone); };
    const auto leafOf = [&](int n) {
        const std::string digits = std::to_string(n + 1);
        return names.stem + "-" + std::string(digits.size() < 3 ? 3 - digits.size() : 0, '0') + digits +
               (alone ? ".tif" : ".png");
    };
    std::vector<json> rows(static_cast<std::size_t>(count));
    std::vector<base::Status> done(static_cast<std::size_t>(count));
    base::parallelFor(count, 0, [&](int n) {
        const Made m = make(n);
        std::string leaf = leafOf(n);
        if (tiled) leaf.insert(leaf.rfind('.'), "_" + reference.tiles.front().first);
        rows[std::size_t(n)] = {{"picture", leaf},
                                {"label", m.bad ? "bad" : "good"},
                                {"fault", m.bad ? json(m.fault) : json()},
                                {"items", m.items}};
        done[std::size_t(n)] = writePicture(m, leafOf(n));
    });
    for (const auto& d : done)
        if (!d) return d;
    if (auto ok = writePicture(reference, alone ? "reference.tif" : "reference.png"); !ok) return ok;
    json truth{{"set", names.set},
               {"seed", seed},
               {"mm_per_px", field.mmPerPixel},
               {"width", field.width},
               {"height", field.height},
               {"conventions", "centre in px, pixel centres whole numbers, y down; angles in degree, counter-clockwise "
                               "as seen; lengths in mm"},
               {"pictures", rows}};
    if (field.lens) truth["lens"] = recipe::calibrationToJson(*field.lens)["lens"];
    recipe["trials"] = json::array();
    for (const json& row : rows) recipe["trials"].push_back({{"picture", row["picture"]}, {"label", row["label"]}});
    if (auto ok = files.write(path("truth.json"), truth.dump(2) + "\n"); !ok) return ok;
    const std::string plain = path(names.set + ".json");
    if (auto ok = files.write(plain, recipe.dump(2) + "\n"); !ok) return ok;
    auto loaded = recipe::load(plain);
    if (!loaded) return base::passOn(loaded.error());
    if (auto ok = recipe::save(*loaded, path(names.set + ".dikkat")); !ok) return ok;
    return files.remove(plain);
}

json recipeHead(const char* name, const Field& field)
{
    return {{"format", "dikkat-recipe"},
            {"version", recipe::kFormatVersion},
            {"name", name},
            {"revision", 1},
            {"calibration", {{"mm_per_px", field.mmPerPixel}, {"by", "telecentric lens, stated"}}},
            {"assets", {{"reference", {{"file", "reference.png"}, {"taken_from", "reference.png"}}}}},
            {"steps", json::array()}};
}
json checkJson(const char* output, const char* name, int balloon, json limits)
{
    limits["output"] = output, limits["name"] = name, limits["balloon"] = balloon;
    return limits;
}
json rectangleJson(Point c, double w, double h)
{
    return {{"shape", "rectangle"}, {"centre", {c.x, c.y}}, {"size", {w, h}}};
}
json ringJson(Point c, double inner, double outer)
{
    return {{"shape", "ring"}, {"centre", {c.x, c.y}}, {"inner", inner}, {"outer", outer}};
}

} // namespace demo
