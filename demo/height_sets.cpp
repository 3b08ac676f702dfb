#include "demo/height_sets.h"

#include "demo/height_sensor.h"
#include "demo/set_writer.h"

#include <cmath>
#include <limits>

namespace demo
{
using geometry::Point;
using geometry::Pose;
using nlohmann::json;

namespace
{
constexpr double kGone = std::numeric_limits<double>::quiet_NaN();

bool inBox(Point p, double left, double top, double right, double bottom)
{
    return p.x > left && p.x < right && p.y > top && p.y < bottom;
}

// ---- reed gaps: a plate of 100 × 26 mm, ten reeds over their slots
constexpr double kStep = 0.001, kOffset = -10;
constexpr int kReeds = 10;
constexpr double kReedPitch = 8.8, kFirstReed = -39.6, kTip = -8.5, kReedWidth = 2.8, kSlotWidth = 3.3, kGround = -4;
double reedEnd(int i) { return 9.0 - 0.55 * i; } // where the rivet sits
struct Gaps {
    Pose pose; // px
    double tip[kReeds]{}, twist[kReeds]{};
    bool missing[kReeds]{};
    double sag = 0.01;
};
// Height over the plate's upper side, mm, of a place on it.
double gapHeight(const Gaps& g, Point p)
{
    if (!inBox(p, -kPlateLength / 2, -kPlateWidth / 2, kPlateLength / 2, kPlateWidth / 2)) return kGround;
    for (const double x : {-kHolePitch / 2, kHolePitch / 2})
        for (const double y : {-kHoleY, kHoleY})
            if (geometry::distance(p, {x, y}) < kHoleRadius) return kGone;
    const int i = int(std::floor((p.x - kFirstReed) / kReedPitch + 0.5));
    const double flat = g.sag * (1 - std::pow(2 * p.x / kPlateLength, 2));
    if (i < 0 || i >= kReeds) return flat;
    const double across = p.x - (kFirstReed + kReedPitch * i), end = reedEnd(i);
    if (std::abs(across) > kSlotWidth / 2 || p.y < kTip - 0.3 || p.y > end) return flat;
    if (geometry::distance(p, {kFirstReed + kReedPitch * i, end - 1.6}) < 1.0 && !g.missing[i])
        return flat + 0.62;                                                                                  // rivet
    if (p.y > end - 3.2) return g.missing[i] ? flat : std::abs(across) < kReedWidth / 2 ? flat + 0.2 : flat; // its foot
    // Over the slot: the reed rises from its foot to the tip; beside it nothing throws light back.
    if (g.missing[i] || std::abs(across) > kReedWidth / 2 || p.y < kTip) return kGone;
    const double t = (end - 3.2 - p.y) / (end - 3.2 - kTip);
    return flat + 0.2 + (g.tip[i] - 0.2) * t * t + g.twist[i] * t * across / kReedWidth;
}
image::Image gapGrey(const Gaps& g, int width, int height, double k, Random& random)
{
    std::vector<float> level(std::size_t(width) * std::size_t(height));
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const Point p = g.pose.toLocal({double(x), double(y)}) * (1 / k);
            const double z = gapHeight(g, p);
            const double v = std::isnan(z) ? 26 : z < -1 ? 58 : z > 0.6 ? 120 : z > 0.15 ? 205 : 158;
            level[std::size_t(y) * std::size_t(width) + std::size_t(x)] = float(v);
        }
    blur(level, width, height, 0.8);
    image::Image out(width, height, image::PixelFormat::Grey8);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x)
            out.row(y)[x] = std::uint8_t(std::clamp(
                std::lround(double(level[std::size_t(y) * std::size_t(width) + std::size_t(x)]) + random.normal(2, 8)),
                0L, 255L));
    return out;
}

// ---- tray: 3 × 4 organs in cells of 42 × 30 mm, a rim round all
constexpr int kRows = 3, kColumns = 4;
constexpr double kCellX = 42, kCellY = 30, kRim = 3.2, kRimWide = 4;
struct Organ {
    double dx = 0, dy = 0, turn = 0; // mm, radians, off its cell's middle
    double length = 34, width = 22, height = 9;
    bool there = true;
};
struct Tray {
    Pose pose;
    Organ organ[kRows * kColumns];
    std::optional<Organ> onTop;
    int under = -1;
};
double trayHeight(const Tray& t, Point p)
{
    const double w = kColumns * kCellX / 2, h = kRows * kCellY / 2;
    if (!inBox(p, -w - kRimWide, -h - kRimWide, w + kRimWide, h + kRimWide)) return -12;
    if (!inBox(p, -w, -h, w, h)) return kRim;
    const int c = std::clamp(int((p.x + w) / kCellX), 0, kColumns - 1),
              r = std::clamp(int((p.y + h) / kCellY), 0, kRows - 1), n = r * kColumns + c;
    const auto over = [&](const Organ& o, double ground) -> double {
        const Point middle{-w + (c + 0.5) * kCellX + o.dx, -h + (r + 0.5) * kCellY + o.dy};
        const Point q = Pose{middle, o.turn}.toLocal(p);
        if (std::abs(q.x) > o.length / 2 || std::abs(q.y) > o.width / 2) return kGone;
        // A row of holes along one side throws nothing back.
        if (o.height < 15 && q.y > 0.28 * o.width && q.y < 0.40 * o.width && std::abs(std::remainder(q.x, 3.0)) < 0.9 &&
            std::abs(q.x) < 0.42 * o.length)
            return -1e6;
        return ground + o.height;
    };
    const auto seen = [](double z) { return z < -1e5 ? kGone : z; };
    if (t.onTop && t.under == n)
        if (const double z = over(*t.onTop, t.organ[n].height); !std::isnan(z)) return seen(z);
    if (t.organ[n].there)
        if (const double z = over(t.organ[n], 0); !std::isnan(z)) return seen(z);
    return 0;
}
} // namespace

base::Status writeReedGaps(const std::string& folder, std::uint64_t seed, int count, const Field& given)
{
    Field field = given;
    const double k = 1 / field.mmPerPixel;
    field.height = int(std::lround(40 * k));
    field.width = int(std::lround(124 * k));
    const auto make = [&](const Gaps& g, Random& random, double tilt) {
        Made m;
        Sensor s;
        s.tiltX = tilt * random.uniform(-1, 1) * field.mmPerPixel * 0.006;
        s.tiltY = tilt * random.uniform(-1, 1) * field.mmPerPixel * 0.006;
        const auto z = [&](double x, double y) { return gapHeight(g, g.pose.toLocal({x, y}) * (1 / k)); };
        m.heights = asSteps(sensed(field.width, field.height, field.mmPerPixel, z, s, random), field.width,
                            field.height, kStep, kOffset);
        m.picture = gapGrey(g, field.width, field.height, k, random);
        json tips = json::array();
        for (int i = 0; i < kReeds; ++i) tips.push_back(g.missing[i] ? json() : json(g.tip[i]));
        m.items.push_back({{"centre", {g.pose.origin.x, g.pose.origin.y}},
                           {"angle", geometry::degrees(g.pose.angle)},
                           {"tips", tips},
                           {"tilt", geometry::degrees(std::atan(std::hypot(s.tiltX, s.tiltY) / field.mmPerPixel))}});
        return m;
    };
    const auto goodGaps = [&](Random& random, bool moved) {
        Gaps g;
        g.pose = {{field.width / 2.0 + (moved ? random.uniform(-30, 30) * k * 0.05 : 0),
                   field.height / 2.0 + (moved ? random.uniform(-20, 20) * k * 0.05 : 0)},
                  moved ? geometry::radians(random.uniform(-3.5, 3.5)) : 0};
        for (double& t : g.tip) t = 0.36 + (moved ? random.normal(0.02, 0.05) : 0);
        if (moved) g.sag = random.uniform(0, 0.015);
        return g;
    };
    Random first(7);
    const Gaps nominal = goodGaps(first, false);
    const Made reference = make(nominal, first, 0);
    const Point c = nominal.pose.origin;
    const auto at = [&](double x, double y) { return c + Point{x, y} * k; };
    json r = recipeHead("Reed gaps", field);
    r["pictures"] = {
        {{"key", "grey"}, {"file", "{id}.png"}},
        {{"key", "z"},
         {"file", "{id}-z.png"},
         {"height", {{"mm_per_step", kStep}, {"offset_mm", kOffset}, {"pixel_mm", field.mmPerPixel}, {"missing", 0}}}}};
    r["assets"] = {
        {"reference",
         {{"files", {{"grey", "reference.png"}, {"z", "reference-z.png"}}}, {"taken_from", "reference.png"}}}};
    auto& steps = r["steps"];
    const double half = kPlateWidth / 2;
    const auto edge = [&](const char* id, const char* name, Point a, Point b, const char* sense) {
        const Point from = at(a.x, a.y), to = at(b.x, b.y);
        return json{
            {"id", id},
            {"kind", "height_line"},
            {"name", name},
            {"params", {{"least", 1.5}, {"sense", sense}, {"windows", 40}, {"reach", 1}}},
            {"regions",
             {{"window", {{"shape", "window"}, {"from", {from.x, from.y}}, {"to", {to.x, to.y}}, {"width", 9 * k}}}}},
            {"checks", json::array()}};
    };
    // The window lies about where the plate may be; the search runs to the left of its direction.
    steps.push_back(edge("top", "Upper edge", {-40, -half}, {40, -half}, "down"));
    steps.push_back(edge("left", "Left edge", {-kPlateLength / 2, -half + 4}, {-kPlateLength / 2, half - 4}, "up"));
    steps.push_back({{"id", "plate"},
                     {"kind", "corner"},
                     {"name", "Plate"},
                     {"letter", "A"},
                     {"inputs", {{"first", "top"}, {"second", "left"}}},
                     {"checks", json::array()}});
    steps.push_back({{"id", "base"},
                     {"kind", "height_base"},
                     {"name", "Base"},
                     {"datum", "plate"},
                     {"regions",
                      {{"region", rectangleJson(at(-46, 0), 5 * k, 12 * k)},
                       {"region_2", rectangleJson(at(46, 0), 5 * k, 12 * k)},
                       {"region_3", rectangleJson(at(0, 11.2), 86 * k, 2.2 * k)}}},
                     {"checks", {checkJson("tilt", "Tilt", 1, {{"high", 0.8}, {"unit", "deg"}})}}});
    steps.push_back({{"id", "flat"},
                     {"kind", "flatness"},
                     {"name", "Flatness of plate"},
                     {"datum", "plate"},
                     {"params", {{"left_out", 0.3}}},
                     {"regions", {{"region", rectangleJson(at(0, 11.2), 92 * k, 2.4 * k)}}},
                     {"checks", {checkJson("flatness", "Flatness of plate", 2, {{"high", 0.06}, {"unit", "mm"}})}}});
    steps.push_back({{"id", "rivets"},
                     {"kind", "height_blobs"},
                     {"name", "Rivet heads"},
                     {"datum", "plate"},
                     {"inputs", {{"base", "base"}}},
                     {"params", {{"low", 0.5}, {"high", 0.8}, {"least_area", std::max(6.0, std::round(1.5 * k * k))}}},
                     {"regions", {{"region", rectangleJson(at(0, 4.5), 90 * k, 11 * k)}}},
                     {"checks", {checkJson("count", "Rivet heads", 3, {{"low", kReeds}, {"high", kReeds}})}}});
    // A place is as wide as the reed and as long as its tip is level; the pitch between is not looked at.
    steps.push_back({{"id", "tips"},
                     {"kind", "height_places"},
                     {"name", "Tip over plate"},
                     {"datum", "plate"},
                     {"inputs", {{"base", "base"}}},
                     {"params", {{"layout", "free"}, {"size", std::round(1.8 * k)}, {"of", "median"}}},
                     {"checks",
                      {checkJson("heights", "Tip over plate", 4, {{"low", 0.25}, {"high", 0.45}, {"unit", "mm"}}),
                       checkJson("shares", "Tip covered", 5, {{"low", 60}, {"unit", "%"}}),
                       checkJson("range", "Spread of the tips", 6, {{"high", 0.15}, {"unit", "mm"}})}}});
    for (int i = 0; i < kReeds; ++i) {
        const Point p = at(kFirstReed + kReedPitch * i, kTip + 1.2);
        steps.back()["places"].push_back({{"name", std::to_string(i + 1)}, {"at", {p.x, p.y}}});
    }
    return writeSet(folder, {"reed-gap", "reed-gap"}, seed, count, field, reference, std::move(r), [&](int n) {
        Random random(seed * 7919 + std::uint64_t(n) * 104729 + 17);
        Gaps g = goodGaps(random, true);
        std::string fault;
        int element = -1;
        if (n % 3 == 2) {
            element = random.below(kReeds);
            switch (n / 3 % 3) {
            case 0: fault = "reed missing", g.missing[element] = true; break;
            case 1: fault = "reed bent", g.tip[element] = random.uniform(0.06, 0.18), g.twist[element] = 0.1; break;
            default: fault = "tip too high", g.tip[element] = random.uniform(0.52, 0.62);
            }
        }
        Made m = make(g, random, 1);
        m.bad = element >= 0, m.fault = fault;
        m.items[0]["element"] = element >= 0 ? json(element + 1) : json();
        m.items[0]["label"] = m.bad ? "bad" : "good";
        return m;
    });
}

base::Status writeOrganTrays(const std::string& folder, std::uint64_t seed, int count, const Field& given)
{
    Field field = given;
    field.mmPerPixel = given.mmPerPixel * 3; // a larger field
    const double k = 1 / field.mmPerPixel;
    field.width = int(std::lround(200 * k)), field.height = int(std::lround(124 * k));
    const auto make = [&](const Tray& t, Random& random, double tilt) {
        Made m;
        Sensor s;
        s.noise = 0.03, s.flight = 12, s.shadow = 0.25, s.lost = 0.02;
        s.tiltX = tilt * random.uniform(-1, 1) * field.mmPerPixel * 0.006;
        s.tiltY = tilt * random.uniform(-1, 1) * field.mmPerPixel * 0.006;
        const auto z = [&](double x, double y) { return trayHeight(t, t.pose.toLocal({x, y}) * (1 / k)); };
        m.heights =
            asFloats(sensed(field.width, field.height, field.mmPerPixel, z, s, random), field.width, field.height);
        m.items.push_back({{"centre", {t.pose.origin.x, t.pose.origin.y}}, {"angle", geometry::degrees(t.pose.angle)}});
        return m;
    };
    const auto goodTray = [&](Random& random, bool moved) {
        Tray t;
        t.pose = {{field.width / 2.0 + (moved ? random.uniform(-3, 3) * k : 0),
                   field.height / 2.0 + (moved ? random.uniform(-3, 3) * k : 0)},
                  moved ? geometry::radians(random.uniform(-3, 3)) : 0};
        if (moved)
            for (Organ& o : t.organ) {
                o.dx = random.uniform(-1.2, 1.2), o.dy = random.uniform(-1, 1);
                o.turn = geometry::radians(random.uniform(-3, 3));
                o.height = 9 + random.normal(0.05, 0.12);
            }
        return t;
    };
    Random first(7);
    const Tray nominal = goodTray(first, false);
    const Made reference = make(nominal, first, 0);
    const Point c = nominal.pose.origin;
    json r = recipeHead("Tray of twelve organs", field);
    r["pictures"] = {
        {{"key", "z"}, {"file", "{id}.tif"}, {"height", {{"mm_per_step", 1}, {"pixel_mm", field.mmPerPixel}}}}};
    r["assets"] = {{"reference", {{"files", {{"z", "reference.tif"}}}, {"taken_from", "reference.tif"}}}};
    auto& steps = r["steps"];
    const double w = kColumns * kCellX, h = kRows * kCellY;
    steps.push_back({{"id", "rim"},
                     {"kind", "height_blobs"},
                     {"name", "Rim"},
                     {"params",
                      {{"low", 1.9},
                       {"high", 4.5},
                       {"least_area", std::round(300 * k * k)},
                       {"fill_holes", false},
                       {"drop_border", false}}},
                     {"checks", {checkJson("count", "Rim", 0, {{"low", 1}, {"high", 1}})}}});
    steps.push_back({{"id", "tray"},
                     {"kind", "blob_datum"},
                     {"name", "Tray"},
                     {"letter", "A"},
                     {"params", {{"of", "all"}}},
                     {"inputs", {{"blobs", "rim"}}},
                     {"checks", json::array()}});
    steps.push_back({{"id", "floor"},
                     {"kind", "height_base"},
                     {"name", "Floor"},
                     {"datum", "tray"},
                     {"params", {{"reach", 0.3}, {"least_covered", 10}}},
                     {"regions",
                      {{"region", rectangleJson(c + Point{0, -kCellY / 2} * k, w * k * 0.98, 4 * k)},
                       {"region_2", rectangleJson(c + Point{0, kCellY / 2} * k, w * k * 0.98, 4 * k)},
                       {"region_3", rectangleJson(c + Point{0, -h / 2 + 1.7} * k, w * k * 0.97, 2.6 * k)},
                       {"region_4", rectangleJson(c + Point{0, h / 2 - 1.7} * k, w * k * 0.97, 2.6 * k)}}},
                     {"checks", {checkJson("tilt", "Tilt", 1, {{"high", 1}, {"unit", "deg"}})}}});
    steps.push_back({{"id", "places"},
                     {"kind", "height_places"},
                     {"name", "Organs"},
                     {"datum", "tray"},
                     {"inputs", {{"base", "floor"}}},
                     {"params", {{"rows", kRows}, {"columns", kColumns}, {"fill", 55}, {"of", "median"}}},
                     {"regions", {{"field", rectangleJson(c, w * k, h * k)}}},
                     {"checks",
                      {checkJson("heights", "Height of each", 2, {{"low", 8.3}, {"high", 9.7}, {"unit", "mm"}}),
                       checkJson("shares", "Covered of each", 3, {{"low", 55}, {"unit", "%"}})}}});
    const double big = 34 * 22 * k * k;
    steps.push_back({{"id", "kinds"},
                     {"kind", "height_blobs"},
                     {"name", "What lies there"},
                     {"datum", "tray"},
                     {"inputs", {{"base", "floor"}}},
                     {"params",
                      {{"low", 4.5},
                       {"high", 40},
                       {"least_area", std::round(0.1 * big)},
                       {"order", "rows"},
                       {"drop_border", false}}},
                     {"regions", {{"region", rectangleJson(c, (w - 1) * k, (h - 1) * k)}}},
                     {"kinds",
                      {{{"name", "organ"},
                        {"low", 8},
                        {"high", 10},
                        {"least_area", std::round(0.85 * big)},
                        {"most_area", std::round(1.15 * big)}},
                       {{"name", "small organ"},
                        {"low", 5.5},
                        {"high", 8},
                        {"least_area", std::round(0.4 * big)},
                        {"most_area", std::round(0.85 * big)}},
                       {{"name", "one on top"}, {"low", 14}, {"high", 20}},
                       {{"name", "on its side"}, {"low", 20}, {"high", 24}}}},
                     {"checks",
                      {checkJson("of_kind", "How many of each kind", 4, json::object()),
                       checkJson("no_kind", "Of no kind", 5, {{"high", 0}})}}});
    json& each = steps.back()["checks"][0];
    for (const auto& [name, n] : {std::pair{"organ", 12}, {"small organ", 0}, {"one on top", 0}, {"on its side", 0}})
        each["elements"].push_back({{"name", name}, {"low", n}, {"high", n}});
    return writeSet(folder, {"organ-tray", "organ-tray"}, seed, count, field, reference, std::move(r), [&](int n) {
        Random random(seed * 6151 + std::uint64_t(n) * 104729 + 29);
        Tray t = goodTray(random, true);
        std::string fault;
        int element = -1;
        if (n % 3 == 2) {
            element = random.below(kRows * kColumns);
            Organ& o = t.organ[element];
            switch (n / 3 % 4) {
            case 0: fault = "organ missing", o.there = false; break;
            case 1:
                fault = "one on top", t.under = element, t.onTop = Organ{};
                t.onTop->dx = random.uniform(-2, 2), t.onTop->turn = geometry::radians(random.uniform(-8, 8));
                break;
            case 2: fault = "on its side", o.width = 9, o.height = 22; break;
            default: fault = "small organ", o.length = 29, o.width = 18, o.height = 7;
            }
        }
        Made m = make(t, random, 1);
        m.bad = element >= 0, m.fault = fault;
        m.items[0]["element"] = element >= 0 ? json(element + 1) : json();
        m.items[0]["label"] = m.bad ? "bad" : "good";
        return m;
    });
}

} // namespace demo
