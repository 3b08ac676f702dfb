#include "demo/reed_plate.h"

#include "demo/set_writer.h"
#include "recipe/calibration_file.h"
#include "recipe/recipe_file.h"

#include <cmath>

namespace demo
{
using geometry::Point;
using geometry::Pose;
using nlohmann::json;

const char* name(Fault fault)
{
    switch (fault) {
    case Fault::None: return "";
    case Fault::MissingSlot: return "missing slot";
    case Fault::HoleOff: return "hole off place";
    case Fault::Narrow: return "plate too narrow";
    case Fault::Absent: return "plate absent";
    case Fault::Cut: return "plate cut by the picture's edge";
    case Fault::Burr: return "burr";
    case Fault::ShortSlot: return "short slot";
    case Fault::BentEdge: return "bent edge";
    }
    return "";
}

PlatePicture drawPlate(const Field& field, PlateTruth truth, Random& random)
{
    PlatePicture out;
    std::vector<std::vector<Point>> outlines, holes;
    const double k = 1 / field.mmPerPixel;
    const auto placed = [&](std::vector<Point> outline) {
        if (field.lens) { // cut finely, so that the lens can bend it
            std::vector<Point> fine;
            for (std::size_t i = 0; i < outline.size(); ++i) {
                const Point a = outline[i], b = outline[(i + 1) % outline.size()];
                const int n = std::max(1, int(std::ceil(geometry::distance(a, b) / 0.8)));
                for (int j = 0; j < n; ++j) fine.push_back(a + (b - a) * (double(j) / n));
            }
            outline = std::move(fine);
        }
        for (Point& p : outline) p = field.seen(truth.pose.toPicture(p * k));
        return outline;
    };
    const int missing = truth.fault == Fault::MissingSlot ? random.below(10) : -1;
    const double light = random.uniform(-8, 8);
    if (truth.fault != Fault::Absent) {
        const double half = truth.width / 2;
        auto outline = roundedBox(-kPlateLength / 2, -half, kPlateLength / 2, half, 1.0);
        if (truth.bow > 0) {
            // The upper edge bows in between its ends.
            std::vector<Point> bent;
            for (std::size_t i = 0; i < outline.size(); ++i) {
                const Point p = outline[i], q = outline[(i + 1) % outline.size()];
                bent.push_back(p);
                if (p.y < -half + 1e-9 && q.y < -half + 1e-9)
                    for (int j = 1; j < 200; ++j) {
                        const Point m = p + (q - p) * (j / 200.0);
                        const double t = m.x / (kPlateLength / 2 - 1);
                        bent.push_back({m.x, -half + truth.bow * (1 - t * t)});
                    }
            }
            outline = std::move(bent);
        }
        outlines.push_back(placed(outline));
        if (truth.burr > 0) {
            const double side = random.below(2) ? 1 : -1, x = random.uniform(-40, 40), w = random.uniform(0.3, 0.6);
            outlines.push_back(placed({{x - w, side * half},
                                       {x - 0.1, side * (half + truth.burr)},
                                       {x + 0.1, side * (half + truth.burr)},
                                       {x + w, side * half}}));
        }
        for (int i = 0; i < 10; ++i) {
            if (i == missing) continue;
            const double x = kFirstSlot + kSlotPitch * i,
                         long_ = 19 - 0.85 * i - (i == truth.shortSlot ? truth.slotLost : 0);
            holes.push_back(placed(roundedBox(x - 1.2, -9.5, x + 1.2, -9.5 + long_, 0.15)));
        }
        // The left hole keeps its place; the right one states the pitch.
        const double right = -kHolePitch / 2 + truth.pitch;
        for (const Point hole : {Point{-kHolePitch / 2, -kHoleY}, Point{kHolePitch / 2, -kHoleY},
                                 Point{-kHolePitch / 2, kHoleY}, Point{right, kHoleY}})
            holes.push_back(placed(circleOutline(hole, kHoleRadius + random.normal(0.005, 0.012))));
        truth.slotCount = missing >= 0 ? 9 : 10;
    } else {
        truth.slotCount = 0;
    }
    const std::vector<float> coverage = blurredCoverage(outlines, holes, field.width, field.height, 0.8, 2);
    Light l;
    l.bright += light;
    out.truth = truth;
    out.picture = backlit(coverage, field.width, field.height, l, random);
    return out;
}

PlatePicture referencePlate(const Field& field)
{
    Random random(7);
    PlateTruth truth;
    truth.pose = {{0.4985 * field.width, 0.4979 * field.height}, 0};
    return drawPlate(field, truth, random);
}

PlatePicture plate(const Field& field, std::uint64_t seed, int n)
{
    Random random(seed * 1'000'003ULL + std::uint64_t(n) * 7919ULL + 17);
    PlateTruth t;
    if (n % 3 == 2)
        t.fault =
            std::array{Fault::MissingSlot, Fault::HoleOff, Fault::Burr,     Fault::Narrow,
                       Fault::ShortSlot,   Fault::Cut,     Fault::BentEdge, Fault::Absent}[std::size_t((n / 3) % 8)];
    t.width = kPlateWidth + random.normal(0.014, 0.034);
    t.pitch = kHolePitch + random.normal(0.02, 0.05);
    const double sign = random.below(2) ? 1 : -1;
    if (t.fault == Fault::HoleOff) t.pitch = kHolePitch + sign * random.uniform(0.16, 0.5);
    if (t.fault == Fault::Narrow) t.width = kPlateWidth - random.uniform(0.1, 0.4);
    if (t.fault == Fault::Burr) t.burr = random.uniform(0.25, 0.7);
    if (t.fault == Fault::BentEdge) t.bow = random.uniform(0.2, 0.5);
    if (t.fault == Fault::ShortSlot) t.shortSlot = random.below(10), t.slotLost = random.uniform(0.8, 3);
    const double angle = random.uniform(-geometry::kPi, geometry::kPi);
    // Where the whole plate fits at this angle.
    const double c = std::abs(std::cos(angle)), s = std::abs(std::sin(angle));
    const double long_ = kPlateLength / field.mmPerPixel / 2, wide = kPlateWidth / field.mmPerPixel / 2,
                 margin = field.lens ? 0.035 * field.width : 12;
    const double halfX = long_ * c + wide * s + margin, halfY = long_ * s + wide * c + margin;
    const auto place = [&](double size, double half) {
        return half < size / 2 ? random.uniform(half, size - 1 - half) : (size - 1) / 2;
    };
    t.pose = {{place(field.width, halfX), place(field.height, halfY)}, angle};
    if (t.fault == Fault::Cut) { // slid out along its own length, by 15 to 45 % of it
        const Point way = geometry::direction(angle) * (random.below(2) ? 1 : -1);
        // To the border first, then the part of the plate that is lost.
        double to = 1e300;
        if (std::abs(way.x) > 0.3)
            to = std::min(to, ((way.x > 0 ? field.width - 1 - t.pose.origin.x : t.pose.origin.x)) / std::abs(way.x));
        if (std::abs(way.y) > 0.3)
            to = std::min(to, ((way.y > 0 ? field.height - 1 - t.pose.origin.y : t.pose.origin.y)) / std::abs(way.y));
        t.pose.origin = t.pose.origin + way * (to - long_ + 2 * long_ * random.uniform(0.15, 0.45));
    }
    return drawPlate(field, t, random);
}

namespace
{
json rectangle(Point c, double w, double h)
{
    return {{"shape", "rectangle"}, {"centre", {c.x, c.y}}, {"size", {w, h}}, {"angle", 0}};
}
json truthItem(const PlateTruth& t)
{
    return {{"item", 1},
            {"centre", {t.pose.origin.x, t.pose.origin.y}},
            {"angle", geometry::degrees(t.pose.angle)},
            {"width", t.width},
            {"pitch", t.pitch},
            {"slots", t.slotCount},
            {"burr", t.burr},
            {"bow", t.bow},
            {"slot_lost", t.slotLost}};
}
} // namespace

std::string reedPlateRecipe(const Field& field, const std::vector<std::pair<std::string, std::string>>& trials)
{
    const Pose pose{{0.4985 * field.width, 0.4979 * field.height}, 0};
    const double k = 1 / field.mmPerPixel;
    const auto at = [&](double x, double y) { return field.seen(pose.toPicture(Point{x, y} * k)); };
    const auto ring = [&](double x, double y) {
        const Point c = at(x, y);
        return json{{"shape", "ring"},
                    {"centre", {c.x, c.y}},
                    {"inner", 0.45 * kHoleRadius * k},
                    {"outer", 1.55 * kHoleRadius * k}};
    };
    const auto window = [&](Point a, Point b, double width) {
        return json{{"shape", "window"}, {"from", {a.x, a.y}}, {"to", {b.x, b.y}}, {"width", width}};
    };
    const double unit = field.width / 2448.0; // sizes in px follow the field of view
    json r{{"format", "dikkat-recipe"},
           {"version", recipe::kFormatVersion},
           {"name", field.lens ? "Reed plate, tilted lens" : "Reed plate, 10 slots"},
           {"revision", 1}};
    r["calibration"] = {{"mm_per_px", field.mmPerPixel}, {"by", "telecentric lens, stated"}};
    if (field.found) r["calibration"] = recipe::calibrationToJson(*field.found);
    r["assets"]["reference"] = {{"file", "reference.png"}, {"taken_from", "reference.png"}};
    r["trials"] = json::array();
    for (const auto& [picture, label] : trials) r["trials"].push_back({{"picture", picture}, {"label", label}});
    auto& steps = r["steps"] = json::array();
    steps.push_back(
        {{"id", "plate"},
         {"kind", "pattern"},
         {"name", "Plate"},
         {"letter", "A"},
         {"params", {{"least_score", 0.65}, {"angle_range", 180}, {"least_contrast", 20}}},
         {"regions", {{"part", rectangle(at(0, 0), kPlateLength * k + 60 * unit, kPlateWidth * k + 60 * unit)}}},
         {"points", {{"origin", {at(0, 0).x, at(0, 0).y}}}},
         {"checks", {{{"output", "score"}, {"name", "Plate"}, {"low", 0.65}}}}});
    steps.push_back(
        {{"id", "top"},
         {"kind", "line"},
         {"name", "Top edge"},
         {"datum", "plate"},
         // bent: judged by its straightness, not lost
         {"params", {{"polarity", "dark_to_bright"}, {"least_strength", 60}, {"windows", 40}, {"least_share", 10}}},
         {"regions", {{"window", window(at(-44, -kPlateWidth / 2), at(44, -kPlateWidth / 2), 40 * unit)}}}});
    for (const auto& [id, label, x] : {std::tuple{"hole_left", "Left hole", -kHolePitch / 2},
                                       std::tuple{"hole_right", "Right hole", kHolePitch / 2}})
        steps.push_back({{"id", id},
                         {"kind", "circle"},
                         {"name", label},
                         {"datum", "plate"},
                         {"params", {{"polarity", "bright_to_dark"}, {"least_strength", 60}}},
                         {"regions", {{"ring", ring(x, kHoleY)}}}});
    steps.push_back(
        {{"id", "width"},
         {"kind", "edge_pair"},
         {"name", "Width"},
         {"datum", "plate"},
         {"params", {{"first", "bright_to_dark"}, {"least_strength", 60}}},
         {"regions", {{"window", window(at(-33.9, -kPlateWidth / 2 - 3), at(-33.9, kPlateWidth / 2 + 3), 41 * unit)}}},
         {"checks",
          {{{"output", "distance"},
            {"name", "Width"},
            {"balloon", 1},
            {"nominal", 26.0},
            {"plus", 0.05},
            {"minus", 0.05},
            {"unit", "mm"}}}}});
    steps.push_back({{"id", "pitch"},
                     {"kind", "distance"},
                     {"name", "Hole pitch"},
                     {"datum", "plate"},
                     {"inputs", {{"first", "hole_left"}, {"second", "hole_right"}}},
                     {"checks",
                      {{{"output", "distance"},
                        {"name", "Hole pitch"},
                        {"balloon", 2},
                        {"nominal", 92.0},
                        {"plus", 0.08},
                        {"minus", 0.08},
                        {"unit", "mm"}}}}});
    steps.push_back(
        {{"id", "slots"},
         {"kind", "blobs"},
         {"name", "Slots"},
         {"datum", "plate"},
         {"params", {{"objects", "bright"}, {"least_area", std::round(3000 * unit * unit)}}},
         {"regions", {{"region", rectangle(at(-1.1, 0), 84 * k, 22 * k)}}},
         {"checks",
          {{{"output", "count"}, {"name", "Slots"}, {"balloon", 3}, {"low", 10}, {"high", 10}},
           {{"output", "areas"}, {"name", "Slot size"}, {"balloon", 4}, {"low", 24}, {"high", 50}, {"unit", "mm2"}}}}});
    steps.push_back({{"id", "edge"},
                     {"kind", "distance"},
                     {"name", "Hole to top edge"},
                     {"datum", "plate"},
                     {"inputs", {{"first", "hole_left"}, {"second", "top"}}},
                     {"checks",
                      {{{"output", "distance"},
                        {"name", "Hole to top edge"},
                        {"balloon", 5},
                        {"nominal", 22.0},
                        {"plus", 0.05},
                        {"minus", 0.05},
                        {"unit", "mm"}}}}});
    steps.push_back(
        {{"id", "bottom"},
         {"kind", "line"},
         {"name", "Lower edge"},
         {"datum", "plate"},
         {"params", {{"polarity", "bright_to_dark"}, {"least_strength", 60}, {"windows", 40}, {"least_share", 10}}},
         {"regions", {{"window", window(at(-44, kPlateWidth / 2), at(44, kPlateWidth / 2), 40 * unit)}}}});
    // Every slot against its own length: falling by 0.85 mm from 19 mm.
    std::string expression = "max(";
    for (int i = 0; i < 10; ++i)
        expression += std::string(i ? ", " : "") + "abs(element([slots.length], " + std::to_string(i + 1) + ") - " +
                      base::shortest(std::round((19 - 0.85 * i) * 100) / 100) + ")";
    steps.push_back(
        {{"id", "slot_fit"},
         {"kind", "formula"},
         {"name", "Slot length off"},
         {"datum", "plate"},
         {"params", {{"expression", expression + ")"}, {"unit", "mm"}}},
         {"checks",
          {{{"output", "value"}, {"name", "Slot length off"}, {"balloon", 6}, {"high", 0.3}, {"unit", "mm"}}}}});
    int balloon = 7;
    for (const auto& [id, label, line] :
         {std::tuple{"burr_top", "Burr above", "top"}, std::tuple{"burr_bottom", "Burr below", "bottom"}})
        steps.push_back(
            {{"id", id},
             {"kind", "farthest"},
             {"name", label},
             {"datum", "plate"},
             {"inputs", {{"of", line}}},
             {"params", {{"reach", std::max(6.0, std::round(16 * unit))}, {"least_strength", 60}, {"spacing", 2}}},
             {"checks",
              {{{"output", "size"}, {"name", label}, {"balloon", balloon++}, {"high", 0.12}, {"unit", "mm"}}}}});
    steps.push_back({{"id", "straight"},
                     {"kind", "straightness"},
                     {"name", "Straightness above"},
                     {"datum", "plate"},
                     {"inputs", {{"of", "top"}}},
                     {"params", {{"reach", std::max(6.0, std::round(16 * unit))}, {"least_strength", 60}}},
                     {"checks",
                      {{{"output", "zone"},
                        {"name", "Straightness above"},
                        {"balloon", balloon},
                        {"high", 0.12},
                        {"unit", "mm"}}}}});
    return r.dump(2) + "\n";
}

base::Status writeReedPlates(const std::string& folder, std::uint64_t seed, int count, const Field& field)
{
    Made reference;
    reference.picture = referencePlate(field).picture;
    return writeSet(folder, {field.lens ? "tilted-plate" : "reed-plate", "plate"}, seed, count, field, reference,
                    json::parse(reedPlateRecipe(field, {})), [&](int n) {
                        PlatePicture p = plate(field, seed, n);
                        Made m;
                        m.picture = std::move(p.picture);
                        m.bad = p.truth.fault != Fault::None, m.fault = name(p.truth.fault);
                        if (p.truth.fault != Fault::Absent) m.items.push_back(truthItem(p.truth));
                        return m;
                    });
}

} // namespace demo
