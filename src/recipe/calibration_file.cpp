#include "recipe/calibration_file.h"

#include "base/files.h"
#include "recipe/recipe_json.h"

namespace recipe
{
using base::ErrorCode;
using base::fail;
using geometry::Calibration;
using geometry::Point;
using nlohmann::json;

json calibrationToJson(const Calibration& c)
{
    json j = json::object();
    if (c.kind() == Calibration::Kind::None) return j;
    if (!c.by().empty()) j["by"] = c.by();
    if (c.thickness() != 0) j["thickness"] = c.thickness();
    if (c.lensDistance() > 0) j["lens_distance"] = c.lensDistance();
    if (c.scaleSpread() > 0) j["scale_spread"] = c.scaleSpread();
    if (c.kind() == Calibration::Kind::Factor) {
        j["mm_per_px"] = c.mmPerPixelOfTarget();
        return j;
    }
    const Calibration::Lens& l = c.lens();
    const geometry::Camera& k = l.camera;
    j["lens"] = {{"width", l.width},
                 {"height", l.height},
                 {"fx", k.fx},
                 {"fy", k.fy},
                 {"cx", k.cx},
                 {"cy", k.cy},
                 {"k1", k.k1},
                 {"k2", k.k2},
                 {"p1", k.p1},
                 {"p2", k.p2},
                 {"k3", k.k3},
                 {"rotation", l.plane.turn},
                 {"translation", l.plane.shift}};
    json& covered = j["lens"]["covered"] = json::array();
    for (const Point p : l.covered) covered.push_back({p.x, p.y});
    j["lens"]["rms_px"] = l.rmsPx, j["lens"]["max_px"] = l.maxPx, j["lens"]["rms_mm"] = l.rmsMm,
    j["lens"]["max_mm"] = l.maxMm;
    return j;
}

namespace
{
void triple(ObjectReader& o, const std::string& key, std::array<double, 3>& out)
{
    const json* j = o.field(key);
    bool right = j && j->is_array() && j->size() == 3;
    for (std::size_t i = 0; i < 3 && right; ++i)
        if ((right = (*j)[i].is_number())) out[i] = (*j)[i].get<double>();
    if (!right) o.wrong(key + " must be three numbers");
}
} // namespace

base::Result<Calibration> calibrationFromJson(const json& j, const std::string& where)
{
    ObjectReader o(j, where);
    double factor = 0, thickness = 0, distance = 0, spread = 0;
    std::string by;
    const json* lens = o.field("lens");
    o.number("mm_per_px", factor, 1e-6, 1e3);
    o.text("by", by);
    o.number("scale_spread", spread, 0, 0.5);
    o.number("thickness", thickness, -1e5, 1e5), o.number("lens_distance", distance, 0, 1e7);
    if (auto ok = o.done(); !ok) return base::passOn(ok.error());
    if (lens && factor > 0) return fail(ErrorCode::InvalidArgument, "give either mm_per_px or lens, not both", where);
    Calibration out;
    if (lens) {
        ObjectReader q(*lens, where + ": lens");
        Calibration::Lens l;
        geometry::Camera& c = l.camera;
        q.whole("width", l.width, 1, 100000, true), q.whole("height", l.height, 1, 100000, true);
        q.number("fx", c.fx, 1, 1e8, true), q.number("fy", c.fy, 1, 1e8, true), q.number("cx", c.cx, -1e6, 1e6, true);
        q.number("cy", c.cy, -1e6, 1e6, true);
        for (const auto& [key, v] :
             {std::pair<const char*, double*>{"k1", &c.k1}, {"k2", &c.k2}, {"k3", &c.k3}, {"p1", &c.p1}, {"p2", &c.p2}})
            q.number(key, *v, -1e8, 1e8);
        triple(q, "rotation", l.plane.turn), triple(q, "translation", l.plane.shift);
        if (const json* covered = q.field("covered")) {
            if (!covered->is_array() || covered->size() > 100000) q.wrong("covered must be a list of [x, y]");
            else
                for (const json& p : *covered) {
                    if (!p.is_array() || p.size() != 2 || !p[0].is_number() || !p[1].is_number()) {
                        q.wrong("covered must be a list of [x, y]");
                        break;
                    }
                    l.covered.push_back({p[0].get<double>(), p[1].get<double>()});
                }
        }
        q.number("rms_px", l.rmsPx, 0, 1e6), q.number("max_px", l.maxPx, 0, 1e6), q.number("rms_mm", l.rmsMm, 0, 1e6);
        q.number("max_mm", l.maxMm, 0, 1e6);
        if (auto ok = q.done(); !ok) return base::passOn(ok.error());
        out = Calibration::lens(std::move(l), by);
        if (auto ok = out.check(); !ok) return base::passOn(ok.error(), where + ": lens");
    } else if (factor > 0) {
        out = Calibration::factor(factor, by);
    } else if (!j.empty()) {
        return fail(ErrorCode::InvalidArgument, "mm_per_px or lens is missing", where);
    }
    out.setScaleSpread(spread);
    if (auto ok = out.setHeight(thickness, distance); !ok) return base::passOn(ok.error(), where);
    return out;
}

base::Result<Calibration> loadCalibration(const std::string& path)
{
    auto text = base::readFile(path);
    if (!text) return base::passOn(text.error());
    json j;
    try {
        j = json::parse(*text);
    } catch (const json::exception& e) {
        return fail(ErrorCode::Corrupt, std::string("not valid JSON: ") + e.what(), path);
    }
    if (!j.is_object() || j.value("format", json()) != json("dikkat-calibration"))
        return fail(ErrorCode::Unsupported, "format is not \"dikkat-calibration\"", path);
    if (!j.contains("version") || !j["version"].is_number_integer())
        return fail(ErrorCode::InvalidArgument, "version is missing", path);
    if (j["version"].get<std::int64_t>() > kCalibrationVersion)
        return fail(ErrorCode::Unsupported,
                    "made by a newer program: version " + j["version"].dump() + "; this one reads up to version 1",
                    path);
    if (!j.contains("calibration")) return fail(ErrorCode::InvalidArgument, "calibration is missing", path);
    return calibrationFromJson(j["calibration"], path + ": calibration");
}

} // namespace recipe
