#include "base/files.h"
#include "demo/drawn_parts.h"
#include "demo/set_writer.h"
#include "drawing/dxf.h"
#include "image/decode.h"

#include <array>
#include <cmath>
#include <filesystem>

namespace demo
{
using drawing::DrawnPoint;
using geometry::Point;
using nlohmann::json;

namespace
{
constexpr double kLength = 100, kWidth = 26;
struct Hole {
    DrawnPoint at;
    double radius;
};
constexpr std::array kHoles{Hole{{4, 4}, 1.35}, Hole{{4, 22}, 1.35}, Hole{{96, 22}, 1.35}, Hole{{50, 2.8}, 1.0}};

struct DrawnPlate {
    PlateFault fault = PlateFault::None;
    int hole = 0;      // which one is at fault
    double size = 0;   // mm
    double place = 50; // mm along the lower or upper edge
    bool upper = false;
    geometry::Pose pose; // of the drawing's origin
};

void draw(const DrawnPlate& p, double px, Outlines& dark, Outlines& holes)
{
    const double grown = p.fault == PlateFault::TooSmall ? 1 - p.size / kLength : 1;
    Pencil pencil;
    std::vector<DrawnPoint> corners{{0, 0}, {kLength, 0}, {kLength, kWidth}, {0, kWidth}};
    std::vector<double> radii{1};
    if (p.fault == PlateFault::Bevel) {
        corners.erase(corners.begin() + 1);
        corners.insert(corners.begin() + 1, {kLength, p.size + 0.5});
        corners.insert(corners.begin() + 1, {kLength - p.size - 0.5, 0});
        radii = {1, 0, 0, 1, 1};
    }
    pencil.polygon(corners, radii).on("holes");
    for (int i = 0; i < int(kHoles.size()); ++i) {
        Hole h = kHoles[std::size_t(i)];
        if (p.hole == i && (p.fault == PlateFault::HoleMissing || p.fault == PlateFault::HoleOval)) continue;
        if (p.hole == i && p.fault == PlateFault::HoleOff) h.at = {h.at.x + 0.8 * p.size, h.at.y - 0.6 * p.size};
        pencil.circle(h.at, h.radius);
    }
    if (p.fault == PlateFault::Surplus) pencil.circle({p.place, 23.6}, p.size);
    for (int i = 0; i < 10; ++i) pencil.box(8.6 + 8.4 * i, 6, 10.4 + 8.4 * i, 19.5, 0.3);
    auto outline = drawing::Outline::make(pencil.done());
    if (!outline) return;
    const drawing::Laid laid{p.pose, px * grown, false};
    auto laidOut = outlinesOf(*outline, laid);
    for (auto& o : laidOut.dark) dark.push_back(std::move(o));
    for (auto& o : laidOut.holes) holes.push_back(std::move(o));
    const auto round = [&](DrawnPoint at, double a, double b) {
        std::vector<Point> out;
        for (int i = 0; i < 360; ++i) {
            const double t = geometry::radians(i);
            out.push_back(laid.toPicture(drawing::sheet({at.x + a * std::cos(t), at.y + b * std::sin(t)})));
        }
        return out;
    };
    const DrawnPoint edge{p.place, p.upper ? kWidth : 0};
    if (p.fault == PlateFault::Notch) holes.push_back(round(edge, 2 * p.size, p.size));
    if (p.fault == PlateFault::Burr) dark.push_back(round(edge, 1.5 * p.size, p.size));
    if (p.fault == PlateFault::HoleOval) {
        const Hole h = kHoles[std::size_t(p.hole)];
        holes.push_back(round(h.at, h.radius + p.size / 2, h.radius - p.size / 2));
    }
}

DrawnPlate plateOf(Random& r, PlateFault fault)
{
    DrawnPlate p;
    p.fault = fault;
    p.hole = r.below(4);
    p.place = r.uniform(14, 44) + (r.below(2) ? 42 : 0);
    p.upper = r.below(2) == 1;
    switch (fault) {
    case PlateFault::Notch:
    case PlateFault::Burr: p.size = r.uniform(0.22, 0.6); break;
    case PlateFault::Bevel: p.size = r.uniform(0.8, 1.6); break;
    case PlateFault::HoleOff: p.size = r.uniform(0.18, 0.4); break;
    case PlateFault::HoleOval: p.size = r.uniform(0.14, 0.25); break;
    case PlateFault::Surplus: p.size = r.uniform(0.4, 0.8); break;
    case PlateFault::TooSmall: p.size = r.uniform(0.5, 0.9); break;
    default: break;
    }
    return p;
}

Made made(const Field& f, const std::vector<DrawnPlate>& plates, Random& random)
{
    Made m;
    Outlines dark, holes;
    for (const DrawnPlate& p : plates) {
        draw(p, 1 / f.mmPerPixel, dark, holes);
        const drawing::Laid laid{p.pose, 1 / f.mmPerPixel, false};
        const Point middle = laid.toPicture(drawing::sheet({kLength / 2, kWidth / 2}));
        const bool bad = p.fault != PlateFault::None;
        m.items.push_back({{"centre", {middle.x, middle.y}},
                           {"angle", geometry::degrees(p.pose.angle)},
                           {"label", bad ? "bad" : "good"},
                           {"fault", bad ? json(name(p.fault)) : json()},
                           {"hole", p.hole + 1},
                           {"size_mm", p.size}});
        if (bad) m.bad = true, m.fault = name(p.fault);
    }
    Light l;
    l.bright += random.uniform(-8, 8);
    m.picture = backlit(blurredCoverage(dark, holes, f.width, f.height, 0.8, 2), f.width, f.height, l, random);
    return m;
}
geometry::Pose poseAbout(Point middle, double angle, double px)
{
    drawing::Laid laid{{{0, 0}, angle}, px, false};
    laid.pose.origin = middle - laid.toPicture(drawing::sheet({kLength / 2, kWidth / 2}));
    return laid.pose;
}

json checked(const char* kind, const char* id, const char* called, json params, json checks)
{
    return {{"id", id}, {"kind", kind}, {"name", called}, {"datum", "s1"}, {"params", params}, {"checks", checks}};
}
json recipeOf(const Field& f, const drawing::Drawing& d, const geometry::Pose& reference)
{
    json r = recipeHead("Reed plate by drawing", f);
    r["assets"]["drawing"] = {{"file", "plate.dxf"}, {"taken_from", "plate.dxf"}};
    int balloon = 1;
    json& steps = r["steps"];
    steps.push_back({{"id", "s1"},
                     {"kind", "drawing_datum"},
                     {"name", "Drawing"},
                     {"letter", "A"},
                     {"params", {{"finds", 0}}},
                     {"checks", {checkJson("share", "Drawing found", balloon++, {{"low", 80}})}}});
    steps.push_back(checked("outline_profile", "s2", "Outline", {{"objects", "dark"}, {"zone", 0.2}},
                            {checkJson("profile", "Outline", balloon, {{"high", 0.2}, {"unit", "mm"}}),
                             checkJson("missing", "Drawn, not found", balloon + 1, {{"high", 0}}),
                             checkJson("surplus", "Found, not drawn", balloon + 2, {{"high", 0}})}));
    balloon += 3;
    const char* names[] = {"Hole, lower left", "Hole, upper left", "Hole, upper right", "Hole, lower middle"};
    for (std::size_t i = 0; i < kHoles.size(); ++i) {
        int element = 0;
        for (std::size_t k = 0; k < d.elements.size(); ++k)
            if (d.elements[k].whole() && geometry::distance(d.elements[k].centre, drawing::sheet(kHoles[i].at)) < 1e-6)
                element = int(k) + 1;
        const std::string called = names[i], id = "s" + std::to_string(3 + i);
        steps.push_back(checked(
            "drawn_circle", id.c_str(), names[i], {{"element", element}},
            {checkJson("diameter", names[i], balloon,
                       {{"nominal", 2 * kHoles[i].radius}, {"plus", 0.05}, {"minus", 0.05}, {"unit", "mm"}}),
             checkJson("position", (called + ", place").c_str(), balloon + 1, {{"high", 0.2}, {"unit", "mm"}}),
             checkJson("roundness", (called + ", roundness").c_str(), balloon + 2, {{"high", 0.06}, {"unit", "mm"}})}));
        balloon += 3;
    }
    steps.push_back({{"id", "s8"},
                     {"kind", "distance"},
                     {"name", "Hole pitch"},
                     {"datum", "s1"},
                     {"inputs", {{"first", "s4"}, {"second", "s5"}}},
                     {"checks",
                      {checkJson("distance", "Hole pitch", balloon++,
                                 {{"nominal", 92}, {"plus", 0.08}, {"minus", 0.08}, {"unit", "mm"}})}}});
    const drawing::Laid laid{reference, 1 / f.mmPerPixel, false};
    const Point middle = laid.toPicture(drawing::sheet({kLength / 2, kWidth / 2}));
    steps.push_back(
        {{"id", "s9"},
         {"kind", "contour"},
         {"name", "Overall"},
         {"datum", "s1"},
         {"regions", {{"region", rectangleJson(middle, (kLength + 3) / f.mmPerPixel, (kWidth + 3) / f.mmPerPixel)}}},
         {"params", {{"objects", "dark"}}},
         {"checks",
          {checkJson("length_x", "Overall length", balloon++,
                     {{"nominal", 100}, {"plus", 0.3}, {"minus", 0.3}, {"unit", "mm"}})}}});
    return r;
}
} // namespace

const char* name(PlateFault fault)
{
    constexpr const char* names[] = {"",         "notch",          "burr",         "bevelled corner",
                                     "hole off", "hole not round", "hole missing", "surplus hole",
                                     "too small"};
    return names[std::size_t(fault)];
}

drawing::Drawing plateDrawing()
{
    Pencil p;
    p.box(0, 0, kLength, kWidth, 1).on("holes");
    for (const Hole& h : kHoles) p.circle(h.at, h.radius);
    for (int i = 0; i < 10; ++i) p.box(8.6 + 8.4 * i, 6, 10.4 + 8.4 * i, 19.5, 0.3);
    return p.done();
}

base::Status writeDrawnPlates(const std::string& folder, std::uint64_t seed, int count, const Field& f)
{
    namespace fs = std::filesystem;
    std::error_code error;
    fs::create_directories(folder, error);
    if (error) return base::fail(base::ErrorCode::Io, "cannot make the folder: " + error.message(), folder);
    const drawing::Drawing d = plateDrawing();
    auto dxf = drawing::writeDxf(d);
    if (!dxf) return base::passOn(dxf.error());
    const auto path = [&](const char* leaf) { return (fs::path(folder) / leaf).string(); };
    if (auto ok = base::realFiles().write(path("plate.dxf"), *dxf); !ok) return ok;
    const double px = 1 / f.mmPerPixel;
    const Point middle{f.width / 2.0, f.height / 2.0};
    Random first(seed * 7919 + 1);
    DrawnPlate good;
    good.pose = poseAbout(middle, 0, px);
    const Made reference = made(f, {good}, first);
    // A part that has no drawing yet.
    {
        Random r(seed * 7919 + 2);
        const auto outline = drawing::Outline::make(drawnPart(4));
        if (!outline) return base::passOn(outline.error());
        const auto o = outlinesOf(
            *outline, {{{middle.x - 15 * px, middle.y + 12 * px}, geometry::radians(r.uniform(-8, 8))}, px, false});
        const image::Image unknown =
            backlit(blurredCoverage(o.dark, o.holes, f.width, f.height, 0.8, 2), f.width, f.height, Light{}, r);
        auto png = image::encodePng(unknown);
        if (!png) return base::passOn(png.error());
        if (auto ok = base::realFiles().write(path("unknown-part.png"), *png); !ok) return ok;
    }
    return writeSet(folder, {"drawn-plate", "plate"}, seed, count, f, reference, recipeOf(f, d, good.pose), [&](int n) {
        Random r(seed * 1'000'003 + std::uint64_t(n) * 7919 + 11);
        const auto faultFor = [&](int k) { return PlateFault(1 + k % 8); };
        std::vector<DrawnPlate> plates;
        const int parts = n % 7 == 5 ? 3 : 1; // now and then three lie in one picture
        for (int i = 0; i < parts; ++i) {
            const bool bad = parts == 1 ? n % 3 == 2 : i == (n / 7) % 3 && n % 2 == 1;
            DrawnPlate p = plateOf(r, bad ? faultFor(parts == 1 ? n / 3 : n) : PlateFault::None);
            const double turn =
                geometry::radians(parts == 1 ? r.uniform(-9, 9) : r.uniform(-3, 3)) + (r.below(2) ? geometry::kPi : 0);
            const Point at = middle + Point{r.uniform(-4, 4) * px,
                                            (parts == 1 ? r.uniform(-20, 20) : (i - 1) * 34.0 + r.uniform(-1, 1)) * px};
            p.pose = poseAbout(at, turn, px);
            plates.push_back(p);
        }
        return made(f, plates, r);
    });
}

} // namespace demo
