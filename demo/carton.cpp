#include "demo/carton.h"

#include "demo/set_writer.h"

#include <algorithm>
#include <cmath>

namespace demo
{
using geometry::Point;
using geometry::Pose;
using nlohmann::json;

namespace
{
// All lengths in mm, the panel's frame in its middle.
constexpr double kWide = 100, kHigh = 72, kMargin = 8, kLine = 2.2, kDotPitch = 7.6, kDotRow = 17;
double dotRadius(int i) { return 1.15 + 0.12 * i; }
Point dotPlace(int i) { return {(i - 4.5) * kDotPitch, kDotRow}; }

struct Panel {
    Pose pose;       // of the panel, px
    Point shift;     // of the print against the panel, mm
    double skew = 0; // of the print, radians
    int missing = -1, smeared = -1;
    bool splash = false, faded = false; // one dot too many; the colour mark of another colour
    std::string fault;
};

image::Image drawPanel(const Field& f, const Panel& p, Random& random)
{
    const double k = 1 / f.mmPerPixel;
    const auto onPanel = [&](std::vector<Point> o) {
        for (Point& q : o) q = p.pose.toPicture(q * k);
        return o;
    };
    const Pose print{p.shift, p.skew};
    const auto onPrint = [&](std::vector<Point> o) {
        for (Point& q : o) q = print.toPicture(q);
        return onPanel(std::move(o));
    };
    const double x = kWide / 2, y = kHigh / 2, m = kMargin;
    struct Ink {
        std::array<double, 3> colour;
        Outlines shapes, holes;
    };
    std::vector<Ink> inks;
    inks.push_back({{236, 230, 216}, {onPanel(roundedBox(-x, -y, x, y, 1.2))}, {}});
    inks.push_back({{36, 52, 118},
                    {onPrint({{-x + m, -y + m}, {x - m, -y + m}, {x - m, y - m}, {-x + m, y - m}})},
                    {onPrint({{-x + m + kLine, -y + m + kLine},
                              {x - m - kLine, -y + m + kLine},
                              {x - m - kLine, y - m - kLine},
                              {-x + m + kLine, y - m - kLine}})}});
    const std::array<std::array<double, 3>, 4> dots{{{20, 110, 160}, {176, 34, 96}, {40, 104, 52}, {44, 42, 44}}};
    for (const auto& colour : dots) inks.push_back({colour, {}, {}});
    Ink* dotInks = &inks[inks.size() - 4];
    for (int i = 0; i < 10; ++i) {
        const double r = dotRadius(i) + (i == p.smeared ? 0.45 : random.normal(0.008, 0.02));
        if (i != p.missing) dotInks[i % 4].shapes.push_back(onPrint(circleOutline(dotPlace(i), r)));
    }
    if (p.splash) dotInks[3].shapes.push_back(onPrint(circleOutline(dotPlace(3) + Point{0.5 * kDotPitch, -3.4}, 1.1)));
    // The colour mark: magenta when good.
    const Point c{28, -16};
    inks.push_back({p.faded ? std::array<double, 3>{196, 150, 60} : std::array<double, 3>{186, 30, 110},
                    {onPrint({{c.x - 4, c.y - 4}, {c.x + 4, c.y - 4}, {c.x + 4, c.y + 4}, {c.x - 4, c.y + 4}})},
                    {}});
    const std::size_t n = std::size_t(f.width) * std::size_t(f.height);
    std::array<std::vector<float>, 3> level;
    const std::array<double, 3> table{58, 60, 64};
    for (std::size_t ch = 0; ch < 3; ++ch) level[ch].assign(n, float(table[ch]));
    for (const Ink& ink : inks) {
        const auto cover = blurredCoverage(ink.shapes, ink.holes, f.width, f.height, 0.8, 2);
        for (std::size_t i = 0; i < n; ++i)
            if (cover[i] > 0)
                for (std::size_t ch = 0; ch < 3; ++ch)
                    level[ch][i] += cover[i] * (float(ink.colour[ch]) - level[ch][i]);
    }
    image::Image out(f.width, f.height, image::PixelFormat::Colour8);
    const double light = random.uniform(0.94, 1.04), slope = random.uniform(-0.05, 0.05);
    for (int py = 0; py < f.height; ++py)
        for (int px = 0; px < f.width; ++px) {
            const double here = light * (1 + slope * (px - f.width / 2.0) / f.width);
            for (std::size_t ch = 0; ch < 3; ++ch)
                out.row(py)[3 * px + int(ch)] =
                    std::uint8_t(std::clamp(level[ch][std::size_t(py) * std::size_t(f.width) + std::size_t(px)] * here +
                                                random.normal(2, 8) + 0.5,
                                            0.0, 255.0));
        }
    return out;
}

Panel goodPanel(const Field& f)
{
    Panel p;
    p.pose = {{0.498 * f.width, 0.503 * f.height}, 0};
    return p;
}

Made panel(const Field& f, std::uint64_t seed, int n)
{
    Random random(seed * 6007ULL + std::uint64_t(n) * 911ULL + 29);
    Panel p = goodPanel(f);
    const double k = 1 / f.mmPerPixel;
    p.pose.origin = p.pose.origin + Point{random.uniform(-5, 5) * k, random.uniform(-8, 8) * k};
    p.pose.angle = random.uniform(-0.14, 0.14);
    p.shift = {random.normal(0.09, 0.2), random.normal(0.09, 0.2)};
    p.skew = random.normal(0.0008, 0.0016);
    if (n % 3 == 2) {
        switch ((n / 3) % 6) {
        case 0: p.missing = random.below(10), p.fault = "dot missing"; break;
        case 1:
            p.shift = {(random.below(2) ? 1 : -1) * random.uniform(0.8, 1.6), random.uniform(-0.2, 0.2)},
            p.fault = "print shifted";
            break;
        case 2: p.smeared = random.below(10), p.fault = "dot smeared"; break;
        case 3: p.splash = true, p.fault = "splash"; break;
        case 4: p.skew = (random.below(2) ? 1 : -1) * random.uniform(0.02, 0.03), p.fault = "print skewed"; break;
        default: p.faded = true, p.fault = "wrong colour"; break;
        }
    }
    Made m;
    m.picture = drawPanel(f, p, random);
    m.bad = !p.fault.empty(), m.fault = p.fault;
    m.items.push_back({{"item", 1},
                       {"centre", {p.pose.origin.x, p.pose.origin.y}},
                       {"angle", geometry::degrees(p.pose.angle)},
                       {"margin_left", kMargin + p.shift.x},
                       {"margin_right", kMargin - p.shift.x},
                       {"margin_top", kMargin + p.shift.y},
                       {"margin_bottom", kMargin - p.shift.y},
                       {"skew", geometry::degrees(p.skew)},
                       {"missing_dot", p.missing + 1},
                       {"smeared_dot", p.smeared + 1}});
    return m;
}
} // namespace

base::Status writeCartonPanels(const std::string& folder, std::uint64_t seed, int count, const Field& f)
{
    const Pose pose = goodPanel(f).pose;
    const double k = 1 / f.mmPerPixel, unit = f.width / 2448.0;
    const auto at = [&](double x, double y) { return pose.toPicture(Point{x, y} * k); };
    json r = recipeHead("Carton panel, printed", f);
    r["calibration"]["by"] = "lens and distance, stated";
    r["general_tolerance"] = "ISO 2768-c";
    r["totals"] = {{{"name", "Dots printed"}, {"expression", "[dots.count]"}},
                   {{"name", "Ink used"}, {"expression", "[dots.total_area] * 0.004"}}};
    auto& steps = r["steps"];
    steps.push_back({{"id", "panel"},
                     {"kind", "pattern"},
                     {"name", "Panel"},
                     {"letter", "A"},
                     {"params", {{"least_score", 0.65}, {"angle_range", 20}, {"least_contrast", 30}}},
                     {"regions", {{"part", rectangleJson(at(0, 0), (kWide + 4) * k, (kHigh + 4) * k)}}},
                     {"points", {{"origin", {pose.origin.x, pose.origin.y}}}},
                     {"leave_out", {rectangleJson(at(0, 0), (kWide - 6) * k, (kHigh - 6) * k)}},
                     {"checks", {checkJson("score", "Panel", 0, {{"low", 0.65}})}}});
    const auto margin = [&](const char* id, const char* name, int balloon, Point from, Point to) {
        const Point a = at(from.x, from.y), b = at(to.x, to.y);
        steps.push_back(
            {{"id", id},
             {"kind", "edge_pair"},
             {"name", name},
             {"datum", "panel"},
             {"params",
              {{"rule", "numbered"},
               {"first_number", 1},
               {"last_number", 2},
               {"first", "dark_to_bright"},
               {"least_strength", 40}}},
             {"regions",
              {{"window", {{"shape", "window"}, {"from", {a.x, a.y}}, {"to", {b.x, b.y}}, {"width", 61 * unit}}}}},
             {"checks",
              {checkJson(
                  "distance", name, balloon,
                  {{"nominal", kMargin}, {"general", "length"}, {"unit", "mm"}, {"fault", "print off centre"}})}}});
    };
    const double x = kWide / 2, y = kHigh / 2, in = kMargin + kLine + 1.4;
    margin("left", "Margin left", 1, {-x - 3, -6}, {-x + in, -6});
    margin("right", "Margin right", 2, {x + 3, -6}, {x - in, -6});
    margin("top", "Margin top", 3, {-22, -y - 3}, {-22, -y + in});
    margin("bottom", "Margin bottom", 4, {-22, y + 3}, {-22, y - in});
    for (const auto& [id, name, yy, half] :
         {std::tuple{"edge", "Panel edge", -y, 2.4}, std::tuple{"frame", "Frame edge", -y + kMargin, 1.6}}) {
        const Point a = at(-38, yy), b = at(38, yy);
        steps.push_back(
            {{"id", id},
             {"kind", "line"},
             {"name", name},
             {"datum", "panel"},
             {"params", {{"least_strength", 40}, {"windows", 40}, {"which", "strongest"}}},
             {"regions",
              {{"window", {{"shape", "window"}, {"from", {a.x, a.y}}, {"to", {b.x, b.y}}, {"width", 2 * half * k}}}}}});
    }
    steps.push_back(
        {{"id", "skew"},
         {"kind", "angle"},
         {"name", "Skew of the print"},
         {"datum", "panel"},
         {"inputs", {{"first", "edge"}, {"second", "frame"}}},
         {"checks",
          {checkJson("angle", "Skew of the print", 5, {{"high", 0.5}, {"unit", "deg"}, {"fault", "print skewed"}})}}});
    json elements = json::array();
    for (int i = 0; i < 10; ++i) {
        const Point p = at(dotPlace(i).x, dotPlace(i).y);
        const double area = geometry::kPi * dotRadius(i) * dotRadius(i);
        elements.push_back({{"name", "dot " + std::to_string(i + 1)},
                            {"at", {p.x, p.y}},
                            {"nominal", std::round(area * 100) / 100},
                            {"plus", std::round(18 * area) / 100},
                            {"minus", std::round(18 * area) / 100}});
    }
    steps.push_back({{"id", "dots"},
                     {"kind", "blobs"},
                     {"name", "Control dots"},
                     {"datum", "panel"},
                     {"params", {{"objects", "dark"}, {"least_area", std::round(300 * unit * unit)}}},
                     {"regions", {{"region", rectangleJson(at(0, kDotRow - 1.2), (10 * kDotPitch + 2) * k, 11 * k)}}},
                     {"checks",
                      {checkJson("areas", "Dot size", 6,
                                 {{"unit", "mm2"}, {"match", "place"}, {"reach", 2.2 * k}, {"elements", elements}}),
                       checkJson("count", "Dots", 7, {{"low", 10}, {"high", 10}})}}});
    const Point mark = at(28, -16);
    steps.push_back(
        {{"id", "mark"},
         {"kind", "area_share"},
         {"name", "Colour mark"},
         {"datum", "panel"},
         {"params", {{"mode", "colour"}}},
         {"regions", {{"region", rectangleJson(mark, 6 * k, 6 * k)}}},
         {"samples", {{{"at", {mark.x, mark.y}}}, {{"at", {mark.x + 1.5 * k, mark.y + 1.2 * k}}}}},
         {"checks", {checkJson("share", "Colour mark", 8, {{"low", 60}, {"unit", "%"}, {"fault", "wrong colour"}})}}});
    Made reference;
    Random random(3);
    reference.picture = drawPanel(f, goodPanel(f), random);
    return writeSet(folder, {"carton-panel", "carton-panel"}, seed, count, f, reference, r,
                    [&](int n) { return panel(f, seed, n); });
}

} // namespace demo
