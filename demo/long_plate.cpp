#include "demo/long_plate.h"

namespace demo
{
using geometry::Point;
using nlohmann::json;

namespace
{
constexpr double kLong = 240, kWide = 26, kSlotApart = 9.2, kSlotLong = 13, kSlotWide = 1.8;
constexpr int kSlots = 24, kTiles = 3;
constexpr double kStep = 0.85; // of a tile's width from one to the next

// One tile: the plate before a bright field, as the moved camera sees it.
image::Image seenFrom(const Field& f, const LongTruth& t, Point corner, double light, Random& random)
{
    const double k = 1 / f.mmPerPixel;
    const auto laid = [&](std::vector<Point> outline) {
        for (Point& p : outline) p = t.pose.toPicture(p * k) - corner;
        return outline;
    };
    Outlines dark{laid(roundedBox(-kLong / 2, -kWide / 2, kLong / 2, kWide / 2, 1.5))}, holes;
    for (const double side : {-1.0, 1.0}) holes.push_back(laid(circleOutline({side * t.pitch / 2, 9}, 1.6)));
    for (int i = 0; i < kSlots; ++i) {
        const double x = (i - (kSlots - 1) / 2.0) * kSlotApart, lost = i + 1 == t.slot ? t.lost : 0;
        if (t.fault == LongFault::SlotMissing && i + 1 == t.slot) continue;
        holes.push_back(laid(roundedBox(x - kSlotWide / 2, -9, x + kSlotWide / 2, -9 + kSlotLong - lost, 0.3)));
    }
    Light l;
    l.bright = 205 * light, l.fall = 0.12;
    return backlit(blurredCoverage(dark, holes, f.width, f.height, 0.8, 2), f.width, f.height, l, random);
}
Point planned(const Field& f, int tile) { return {std::round(kStep * f.width) * tile, 0}; }
Field fieldOf(const Field& wanted)
{
    // What another set would take is no tile of this one.
    return wanted.width == Field{}.width && wanted.height == Field{}.height ? tileField() : wanted;
}
} // namespace

const char* name(LongFault fault)
{
    constexpr const char* names[] = {"", "pitch off", "slot short", "slot missing", "tile lost"};
    return names[std::size_t(fault)];
}

LongPicture longReference(const Field& field)
{
    LongPicture out;
    LongTruth& t = out.truth;
    t.pose = {{(planned(field, kTiles - 1).x + field.width) / 2, field.height / 2.0}, 0};
    Random random(17);
    for (int i = 0; i < kTiles; ++i) {
        t.corners.push_back(planned(field, i));
        out.tiles.push_back(seenFrom(field, t, t.corners.back(), 1, random));
    }
    return out;
}

LongPicture longPlate(const Field& field, std::uint64_t seed, int n)
{
    Random random(seed * 7001ULL + std::uint64_t(n) * 613ULL + 5);
    const double k = 1 / field.mmPerPixel;
    LongPicture out;
    LongTruth& t = out.truth;
    t.pose = {Point{(planned(field, kTiles - 1).x + field.width) / 2, field.height / 2.0} +
                  Point{random.uniform(-2.5, 2.5), random.uniform(-2, 2)} * k,
              geometry::radians(random.uniform(-0.4, 0.4))};
    t.pitch += random.normal(0.015, 0.04);
    if (n % 3 == 2) {
        t.fault = LongFault(1 + (n / 3) % 4);
        if (t.fault == LongFault::PitchOff) t.pitch += (random.below(2) ? 1 : -1) * random.uniform(0.16, 0.3);
        if (t.fault == LongFault::SlotShort || t.fault == LongFault::SlotMissing) t.slot = 1 + random.below(kSlots);
        if (t.fault == LongFault::SlotShort) t.lost = random.uniform(0.5, 1.2);
    }
    for (int i = 0; i < kTiles; ++i) {
        // The camera stops up to 0.3 mm beside its place, and its lamp is not always as bright.
        t.corners.push_back(planned(field, i) + Point{random.uniform(-0.3, 0.3), random.uniform(-0.3, 0.3)} * k);
        const double light = random.uniform(0.92, 1.06);
        out.tiles.push_back(seenFrom(field, t, t.corners.back(), light, random));
    }
    if (t.fault == LongFault::TileLost) out.tiles[1 + std::size_t(random.below(2))] = image::Image();
    return out;
}

namespace
{
Made madeOf(const LongPicture& p)
{
    Made m;
    for (std::size_t i = 0; i < p.tiles.size(); ++i)
        if (!p.tiles[i].empty()) m.tiles.emplace_back("1_" + std::to_string(i + 1), p.tiles[i].clone());
    m.bad = p.truth.fault != LongFault::None, m.fault = name(p.truth.fault);
    json corners = json::array();
    for (const Point c : p.truth.corners) corners.push_back({c.x, c.y});
    m.items.push_back({{"item", 1},
                       {"angle", geometry::degrees(p.truth.pose.angle)},
                       {"pitch", p.truth.pitch},
                       {"slot", p.truth.slot},
                       {"lost_mm", p.truth.lost},
                       {"corners", corners}});
    return m;
}
} // namespace

base::Status writeLongPlates(const std::string& folder, std::uint64_t seed, int count, const Field& wanted)
{
    const Field f = fieldOf(wanted);
    const double k = 1 / f.mmPerPixel;
    const LongPicture good = longReference(f);
    const auto at = [&](double x, double y) { return good.truth.pose.toPicture(Point{x, y} * k); };
    json r = recipeHead("Chromatic plate, three tiles", f);
    json places = json::array(), files = json::object();
    for (int i = 0; i < kTiles; ++i) {
        const std::string tile = "1." + std::to_string(i + 1);
        places.push_back({{"name", tile}, {"x", planned(f, i).x}, {"y", planned(f, i).y}});
        files["plate/" + tile] = "reference_1_" + std::to_string(i + 1) + ".png";
    }
    r["pictures"] = {{{"key", "plate"},
                      {"file", "{id}_{row}_{column}.png"},
                      {"tiles", {{"reach_px", std::round(0.9 * k)}, {"by", "picture"}, {"places", places}}}}};
    r["assets"]["reference"] = {{"files", files}, {"taken_from", "reference_1_1.png"}};
    auto& steps = r["steps"];
    // The left end says where the plate is, without the slots: each is like the next. The right end is 228 mm away.
    const Point end = at(-kLong / 2 + 5.5, 0);
    steps.push_back({{"id", "end"},
                     {"kind", "pattern"},
                     {"name", "Left end"},
                     {"letter", "A"},
                     {"params", {{"least_score", 0.6}, {"angle_range", 3}, {"least_contrast", 30}}},
                     {"regions", {{"part", rectangleJson(end, 13 * k, (kWide + 2) * k)}}},
                     {"points", {{"origin", {at(-kLong / 2, 0).x, at(-kLong / 2, 0).y}}}},
                     {"checks", {checkJson("score", "Left end", 0, {{"low", 0.6}})}}});
    const auto hole = [&](const char* id, const char* called, double x) {
        steps.push_back({{"id", id},
                         {"kind", "circle"},
                         {"name", called},
                         {"datum", "end"},
                         {"params", {{"polarity", "bright_to_dark"}, {"least_strength", 60}}},
                         {"regions", {{"ring", ringJson(at(x, 9), 0.5 * k, 2.7 * k)}}},
                         {"checks", json::array()}});
    };
    hole("left", "Left hole", -114), hole("right", "Right hole", 114);
    steps.push_back({{"id", "pitch"},
                     {"kind", "distance"},
                     {"name", "Hole pitch"},
                     {"datum", "end"},
                     {"inputs", {{"first", "left"}, {"second", "right"}}},
                     {"checks",
                      {checkJson("distance", "Hole pitch", 1,
                                 {{"nominal", 228.0}, {"plus", 0.1}, {"minus", 0.1}, {"unit", "mm"}})}}});
    steps.push_back({{"id", "slots"},
                     {"kind", "blobs"},
                     {"name", "Slots"},
                     {"datum", "end"},
                     {"params", {{"objects", "bright"}, {"least_area", std::round(4 * k * k)}}},
                     {"regions", {{"region", rectangleJson(at(0, -2.5), 226 * k, 16.5 * k)}}},
                     {"checks",
                      {checkJson("count", "Slots", 2, {{"low", kSlots}, {"high", kSlots}}),
                       checkJson("length", "Slot length", 3,
                                 {{"nominal", kSlotLong}, {"plus", 0.2}, {"minus", 0.2}, {"unit", "mm"}})}}});
    return writeSet(folder, {"long-plate", "long"}, seed, count, f, madeOf(good), r,
                    [&](int n) { return madeOf(longPlate(f, seed, n)); });
}

} // namespace demo
