#include "demo/fitted_reeds.h"

#include "demo/height_sensor.h"
#include "geometry/region.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <limits>

namespace demo
{
using geometry::Point;
using geometry::Pose;
using geometry::Region;
using nlohmann::json;

namespace
{
// All lengths in mm, the plate's frame in its middle; the rivets lie at the lower end of the slots.
constexpr double kLong = 100, kWide = 26, kPitch = 8.6, kSlotWide = 3.4, kReedWide = 2.5, kRivet = 0.95;
double slotX(int i) { return (i - 4.5) * kPitch; }
double slotLength(int i) { return 17.5 - 0.75 * i; }
constexpr double kSlotTop = -9.2;
double slotBottom(int i) { return kSlotTop + slotLength(i); }
// The reed covers its slot and ends on the brass, where it is riveted.
constexpr double kFoot = 2.6;
constexpr double kReedTop = kSlotTop + 0.5;
double reedBottom(int i) { return slotBottom(i) + kFoot; }
Point reedMiddle(int i) { return {slotX(i), (kReedTop + reedBottom(i)) / 2}; }
Point rivetAt(int i) { return {slotX(i), slotBottom(i) + 1.25}; }
Point jointAt(int i) { return {slotX(i) + 2.4, slotBottom(i) + 1.2}; }

Field usable(const Field& f) { return f.width == Field{}.width && f.height == Field{}.height ? reedField() : f; }

std::vector<Point> box(Point c, double w, double h)
{
    return {
        {c.x - w / 2, c.y - h / 2}, {c.x + w / 2, c.y - h / 2}, {c.x + w / 2, c.y + h / 2}, {c.x - w / 2, c.y + h / 2}};
}
std::vector<Point> blobOf(Point c, double radius, Random& random)
{
    std::vector<Point> out;
    double bumps[4], phase[4];
    for (int k = 0; k < 4; ++k) bumps[k] = random.uniform(-0.09, 0.09), phase[k] = random.uniform(0, 6.28);
    for (int i = 0; i < 48; ++i) {
        const double a = 2 * geometry::kPi * i / 48;
        double r = radius;
        for (int k = 0; k < 4; ++k) r += radius * bumps[k] * std::sin((k + 2) * a + phase[k]);
        out.push_back(c + geometry::direction(a) * r);
    }
    return out;
}

// What a plate is made of, once with the colours of white light and once with those of red.
struct Layer {
    std::array<double, 3> white, red;
    Outlines shapes, holes{};
};
struct Parts {
    std::vector<Layer> layers;
    struct Reed {
        Pose lie;
        bool there = true, riveted = true;
    };
    std::array<Reed, 10> reeds{}; // for the heights
    void add(std::array<double, 3> white, std::array<double, 3> red, Outlines shapes, Outlines holes = {})
    {
        layers.push_back({white, red, std::move(shapes), std::move(holes)});
    }
};

void addReed(Parts& parts, int i, const FittedTruth& t, Random& random)
{
    const bool here = t.place == i + 1;
    const bool gone = here && t.fault == ReedFault::ReedMissing;
    const bool noRivet = gone || (here && t.fault == ReedFault::RivetMissing);
    const double shade = random.uniform(0.97, 1.03);
    double turn = geometry::radians(random.uniform(-0.6, 0.6));
    Point shift{random.uniform(-0.06, 0.06), random.uniform(-0.06, 0.06)};
    if (here && t.fault == ReedFault::ReedTurned) turn = geometry::radians(t.amount);
    if (here && t.fault == ReedFault::ReedShifted) shift = {t.amount, 0.1};
    const bool reversed = here && t.fault == ReedFault::ReedReversed;
    const Point middle = reedMiddle(i);
    const Pose lie{middle + shift, turn + (reversed ? geometry::kPi : 0)};
    parts.reeds[std::size_t(i)] = {lie, !gone, !noRivet};
    const auto on = [&](std::vector<Point> o) {
        for (Point& p : o) p = lie.toPicture(p - middle);
        return o;
    };
    if (!gone) {
        const double top = kReedTop, bottom = reedBottom(i);
        parts.add({196 * shade, 199 * shade, 204 * shade}, {104, 62, 60},
                  {on(box({slotX(i), (top + bottom) / 2}, kReedWide, bottom - top))});
        // A ground strip down the tongue and a notch at the tip.
        parts.add({160 * shade, 163 * shade, 170 * shade}, {86, 52, 50},
                  {on(box({slotX(i) - 0.5, (top + bottom) / 2 - 1}, 0.5, bottom - top - 4))});
        parts.add({110, 112, 118}, {60, 36, 34}, {on(box({slotX(i), top + 0.5}, 1.2, 0.45))});
    }
    if (!noRivet) {
        const Point at = gone ? rivetAt(i) : lie.toPicture(rivetAt(i) - middle);
        parts.add({150, 112, 52}, {96, 40, 24}, {circleOutline(at, kRivet)});
        parts.add({214, 184, 120}, {120, 56, 36}, {circleOutline(at + Point{-0.2, -0.25}, 0.32)});
    } else if (!gone) {
        parts.add({62, 52, 40}, {24, 14, 12}, {circleOutline(lie.toPicture(rivetAt(i) - middle), 0.5)});
    } else {
        parts.add({62, 52, 40}, {24, 14, 12}, {circleOutline(rivetAt(i), 0.5)});
    }
}

void addGlue(Parts& parts, int i, const FittedTruth& t, Random& random)
{
    const bool here = t.place == i + 1;
    double radius = random.uniform(0.82, 0.98);
    if (here && t.fault == ReedFault::GlueNone) return;
    if (here && t.fault == ReedFault::GlueLittle) radius = random.uniform(0.4, 0.5);
    if (here && t.fault == ReedFault::GlueMuch) radius = random.uniform(1.45, 1.6);
    const Point at = jointAt(i) + Point{random.uniform(-0.08, 0.08), random.uniform(-0.08, 0.08)};
    Outlines shapes{blobOf(at, radius, random)};
    if (here && t.fault == ReedFault::GlueBridged) {
        const Point next = jointAt(i + 1);
        const Point middle = (at + next) * 0.5, along = geometry::unit(next - at), across = geometry::leftOf(along);
        const double half = geometry::distance(at, next) / 2;
        shapes.push_back({middle - along * half + across * 0.3, middle + along * half + across * 0.3,
                          middle + along * half - across * 0.3, middle - along * half - across * 0.3});
    }
    // Clear under white light, shining under red; laid over what is there piece by piece.
    for (auto& s : shapes) parts.add({186, 158, 96}, {246, 74, 50}, {s});
}

// Heights over the brass, mm: reeds of 0.35 mm that rise a little to their tips, rivets and glue on them.
image::Image heightsOf(const Field& field, const FittedTruth& t, const Parts& parts, Random random)
{
    constexpr double kThick = 0.35, kRivetHigh = 0.08, kGlueHigh = 0.25, kTable = -2;
    constexpr double kGone = std::numeric_limits<double>::quiet_NaN();
    std::array<double, 10> rise{};
    for (int i = 0; i < 10; ++i) rise[std::size_t(i)] = random.uniform(-0.02, 0.05);
    if (t.fault == ReedFault::ReedLifted) rise[std::size_t(t.place - 1)] = t.amount;
    Sensor s;
    s.noise = 0.008, s.shadow = 0.3;
    s.tiltX = random.uniform(-0.15, 0.15) / field.width, s.tiltY = random.uniform(-0.1, 0.1) / field.height;
    const double base = random.uniform(-0.3, 0.3);
    const auto z = [&](double x, double y) -> double {
        const Point p = t.pose.toLocal({x, y}) * field.mmPerPixel;
        if (std::abs(p.x) > kLong / 2 || std::abs(p.y) > kWide / 2) return kTable + base;
        for (const double cx : {-46.0, 46.0})
            for (const double cy : {-9.0, 9.0})
                if (geometry::distance(p, {cx, cy}) < 1.6) return kGone;
        const int near = std::clamp(int(std::lround(p.x / kPitch + 4.5)), 0, 9);
        for (int i = std::max(0, near - 1); i <= std::min(9, near + 1); ++i) {
            const Parts::Reed& reed = parts.reeds[std::size_t(i)];
            const Point q = reed.lie.toLocal(p) + reedMiddle(i);
            if (reed.there && std::abs(q.x - slotX(i)) < kReedWide / 2 && q.y > kReedTop && q.y < reedBottom(i)) {
                const double free = std::clamp((rivetAt(i).y - q.y) / (rivetAt(i).y - kReedTop), 0.0, 1.0);
                const double top = kThick + rise[std::size_t(i)] * free;
                return base + top + (reed.riveted && geometry::distance(q, rivetAt(i)) < kRivet ? kRivetHigh : 0);
            }
            const bool glue = t.fault != ReedFault::GlueNone || t.place != i + 1;
            if (glue && geometry::distance(p, jointAt(i)) < 0.85) return base + kGlueHigh;
        }
        if (std::abs(p.x - slotX(near)) < kSlotWide / 2 && p.y > kSlotTop && p.y < slotBottom(near)) return kGone;
        return base;
    };
    return asSteps(sensed(field.width, field.height, field.mmPerPixel, z, s, random), field.width, field.height,
                   kReedStep, kReedFloor);
}
} // namespace

image::HeightScale reedScale(const Field& field)
{
    image::HeightScale scale;
    scale.mmPerStep = kReedStep, scale.offsetMm = kReedFloor, scale.pixelMm = field.mmPerPixel, scale.missing = 0;
    return scale;
}

const char* name(ReedFault fault)
{
    constexpr const char* names[] = {
        "",        "reed missing", "reed reversed",   "reed turned",   "reed shifted", "rivet missing",
        "scratch", "no glue",      "too little glue", "too much glue", "glue bridged", "reed lifted"};
    return names[std::size_t(fault)];
}

FittedPicture drawFitted(const Field& field, const FittedTruth& t, Random& random)
{
    const double k = 1 / field.mmPerPixel;
    Parts parts;
    parts.add({188, 152, 78}, {112, 46, 26}, {roundedBox(-kLong / 2, -kWide / 2, kLong / 2, kWide / 2, 1.2)});
    // The brushing is of the tool: alike on every plate.
    Random brush(41);
    for (int n = 0; n < 70; ++n) {
        const Point c{brush.uniform(-48, 48), brush.uniform(-12.4, 12.4)};
        const double up = brush.uniform(-9, 9);
        parts.add({188 + up, 152 + up, 78 + up / 2}, {112 + up / 2, 46 + up / 4, 26},
                  {box({std::clamp(c.x, -36.0, 36.0), c.y}, brush.uniform(6, 26), 0.14)});
    }
    for (const double x : {-46.0, 46.0})
        for (const double y : {-9.0, 9.0}) parts.add({52, 50, 52}, {18, 12, 12}, {circleOutline({x, y}, 1.6)});
    for (int i = 0; i < 10; ++i)
        parts.add({46, 42, 38}, {16, 10, 10},
                  {box({slotX(i), kSlotTop + slotLength(i) / 2}, kSlotWide, slotLength(i))});
    for (int i = 0; i < 10; ++i) addReed(parts, i, t, random);
    for (int i = 0; i < 10; ++i) addGlue(parts, i, t, random);
    if (t.fault == ReedFault::Scratch) {
        const Point from{random.uniform(-30, 20), -11.6};
        const double a = random.uniform(-0.12, 0.12);
        parts.add(
            {232, 214, 168}, {132, 60, 40},
            {Region::rectangle(from + geometry::direction(a) * (t.amount / 2), t.amount, 0.28, a).outlines().front()});
    }
    FittedPicture out;
    out.truth = t;
    PaintLook look;
    look.blur = random.uniform(0.65, 1.15);
    look.light = random.uniform(0.86, 1.14);
    look.slopeX = random.uniform(-0.05, 0.05), look.slopeY = random.uniform(-0.05, 0.05);
    look.noise = random.uniform(1.2, 2.6);
    for (const bool red : {false, true}) {
        std::vector<Ink> inks;
        for (const Layer& l : parts.layers) {
            Ink ink{red ? l.red : l.white, l.shapes, l.holes};
            for (auto* shapes : {&ink.shapes, &ink.holes})
                for (auto& o : *shapes)
                    for (Point& p : o) p = t.pose.toPicture(p * k);
            inks.push_back(std::move(ink));
        }
        PaintLook own = look;
        own.darkCorner = red ? 0 : t.darkCorner;
        (red ? out.red : out.white) =
            painted(red ? std::array<double, 3>{26, 14, 14} : std::array<double, 3>{58, 60, 64}, inks, field.width,
                    field.height, own, random);
    }
    out.heights = heightsOf(field, t, parts, random);
    return out;
}

image::Capture captureOf(FittedPicture made, const Field& field, const std::string& id)
{
    std::vector<image::Picture> pictures;
    pictures.push_back(image::makePicture(std::move(made.white), "white"));
    pictures.push_back(image::makePicture(std::move(made.red), "red"));
    pictures.push_back(image::makeHeights(std::move(made.heights), reedScale(field), "height"));
    return image::Capture(id, std::move(pictures));
}

FittedPicture fittedReference(const Field& wanted)
{
    const Field f = usable(wanted);
    Random random(17);
    FittedTruth t;
    t.pose = {{0.5 * f.width, 0.5 * f.height}, 0};
    return drawFitted(f, t, random);
}

FittedPicture fittedReeds(const Field& wanted, std::uint64_t seed, int n)
{
    const Field f = usable(wanted);
    Random random(seed * 7013ULL + std::uint64_t(n) * 1013ULL + 5);
    FittedTruth t;
    const double k = 1 / f.mmPerPixel;
    t.pose = {Point{0.5 * f.width, 0.5 * f.height} + Point{random.uniform(-2.5, 2.5), random.uniform(-2.5, 2.5)} * k,
              random.uniform(-0.06, 0.06)};
    if (n % 3 == 2) {
        t.fault = ReedFault(1 + (n / 3) % 11);
        t.place = 1 + random.below(t.fault == ReedFault::GlueBridged ? 9 : 10);
        const double sign = random.below(2) ? 1 : -1;
        if (t.fault == ReedFault::ReedTurned) t.amount = sign * random.uniform(5, 13);
        if (t.fault == ReedFault::ReedShifted) t.amount = sign * random.uniform(0.32, 0.7);
        if (t.fault == ReedFault::Scratch) t.amount = random.uniform(5, 14), t.place = 0;
        if (t.fault == ReedFault::ReedLifted) t.amount = random.uniform(0.3, 0.8);
    }
    if (n % 7 == 4) t.darkCorner = random.uniform(0.2, 0.35);
    return drawFitted(f, t, random);
}

namespace
{
Made madeOf(FittedPicture p)
{
    Made m;
    m.bad = p.truth.fault != ReedFault::None;
    m.fault = name(p.truth.fault);
    m.items.push_back({{"item", 1},
                       {"centre", {p.truth.pose.origin.x, p.truth.pose.origin.y}},
                       {"angle", geometry::degrees(p.truth.pose.angle)},
                       {"place", p.truth.place},
                       {"amount", p.truth.amount},
                       {"dark_corner", p.truth.darkCorner}});
    m.picture = std::move(p.white);
    m.lights.emplace_back("red", std::move(p.red));
    m.heights = std::move(p.heights);
    return m;
}
json placeJson(const std::string& id, Point at, json outline, bool marked)
{
    json one{{"name", id}, {"at", {at.x, at.y}}, {"outline", std::move(outline)}};
    if (marked) one["marked"] = true;
    return one;
}
base::Status makeFolder(const std::string& folder)
{
    std::error_code error;
    std::filesystem::create_directories(folder, error);
    if (error) return base::fail(base::ErrorCode::Io, "cannot make the folder: " + error.message(), folder);
    return {};
}

json fittedRecipe(const Field& f, const Pose& pose)
{
    const double k = 1 / f.mmPerPixel;
    const auto at = [&](Point mm) { return pose.toPicture(mm * k); };
    json r = recipeHead("Reeds fitted", f);
    r["calibration"]["by"] = "lens and distance, stated";
    r["pictures"] = {
        {{"key", "white"}, {"file", "{id}.png"}},
        {{"key", "red"}, {"file", "{id}-red.png"}},
        {{"key", "height"},
         {"file", "{id}-z.png"},
         {"height",
          {{"mm_per_step", kReedStep}, {"offset_mm", kReedFloor}, {"pixel_mm", f.mmPerPixel}, {"missing", 0}}}}};
    const auto files = [](const std::string& stem) -> json {
        return {{"white", stem + ".png"}, {"red", stem + "-red.png"}, {"height", stem + "-z.png"}};
    };
    r["assets"]["reference"] = {{"files", files("reference")}, {"taken_from", "reference.png"}};
    r["samples"] = json::array();
    for (int i = 1; i <= 8; ++i) {
        const std::string stem = "good-" + std::to_string(i);
        r["samples"].push_back({{"files", files(stem)}, {"taken_from", stem + ".png"}});
    }
    for (const auto& [stem, step] : {std::pair{"no-reed", "reeds"}, {"no-rivet", "rivets"}}) {
        const std::string name = stem;
        json bare{{"files", files(name)}, {"taken_from", name + ".png"}, {"bare", json::array()}};
        bare["bare"].push_back({{"step", step}, {"place", "5"}});
        r["samples"].push_back(bare);
    }
    auto& steps = r["steps"];
    json left = json::array({rectangleJson(at({0, 0}), 78 * k, 24 * k)});
    steps.push_back({{"id", "plate"},
                     {"kind", "pattern"},
                     {"name", "Plate"},
                     {"letter", "A"},
                     {"params", {{"least_score", 0.65}, {"angle_range", 12}, {"least_contrast", 25}}},
                     {"regions", {{"part", rectangleJson(at({0, 0}), (kLong + 3) * k, (kWide + 3) * k)}}},
                     {"points", {{"origin", {pose.origin.x, pose.origin.y}}}},
                     {"leave_out", left},
                     {"checks", {checkJson("score", "Plate", 0, {{"low", 0.65}})}}});
    json places = json::array(), rivets = json::array(), joints = json::array(), out = json::array();
    for (int i = 0; i < 10; ++i) {
        const std::string n = std::to_string(i + 1);
        const Point m = at(reedMiddle(i));
        const double h = (reedBottom(i) - kReedTop) * k;
        places.push_back(placeJson(n, m, rectangleJson(m, (kReedWide + 0.3) * k, h + 0.3 * k), true));
        const Point q = at(rivetAt(i));
        rivets.push_back(
            placeJson(n, q, {{"shape", "circle"}, {"centre", {q.x, q.y}}, {"radius", (kRivet + 0.1) * k}}, false));
        const Point j = at(jointAt(i));
        joints.push_back(placeJson(n, j, {{"shape", "circle"}, {"centre", {j.x, j.y}}, {"radius", 1.1 * k}}, false));
        out.push_back(rectangleJson(at({slotX(i) + 0.8, (kSlotTop + reedBottom(i)) / 2 + 0.3}), (kSlotWide + 3.6) * k,
                                    (reedBottom(i) - kSlotTop + 1.6) * k));
    }
    steps.push_back({{"id", "ground"},
                     {"kind", "learned_area"},
                     {"name", "Brass, as learned"},
                     {"datum", "plate"},
                     {"params", {{"by", "colour"}, {"light", "uneven"}, {"least_area", 12}, {"least_colour", 6}}},
                     {"regions", {{"region", rectangleJson(at({0, 0}), (kLong - 1.6) * k, (kWide - 1.6) * k)}}},
                     {"leave_out", out},
                     {"checks", {checkJson("ratio", "Brass, as learned", 1, {{"high", 1}, {"fault", "surface"}})}}});
    steps.push_back({{"id", "reeds"},
                     {"kind", "component_places"},
                     {"name", "Reeds"},
                     {"datum", "plate"},
                     {"pictures", {{"heights", "height"}}},
                     {"params",
                      {{"by", "colour"},
                       {"light", "uneven"},
                       {"may_shift", 0.2 * k},
                       {"may_turn", 2.5},
                       {"search", 1.1 * k},
                       {"search_turn", 16},
                       {"least_area", 12},
                       {"may_lift", 0.15}}},
                     {"places", places},
                     {"checks", {checkJson("ratios", "Reeds", 2, {{"high", 1}})}}});
    steps.push_back({{"id", "rivets"},
                     {"kind", "component_places"},
                     {"name", "Rivets"},
                     {"datum", "plate"},
                     {"params",
                      {{"by", "colour"},
                       {"light", "uneven"},
                       {"may_shift", 0.9 * k},
                       {"may_turn", 90},
                       {"search", 1.3 * k},
                       {"search_turn", 0},
                       {"least_area", 20},
                       {"spreads", 8}}},
                     {"places", rivets},
                     {"checks", {checkJson("ratios", "Rivets", 3, {{"high", 1}})}}});
    const Point c = at(jointAt(4)), brass = at({-42, 0});
    steps.push_back({{"id", "joints"},
                     {"kind", "joint_areas"},
                     {"name", "Glue"},
                     {"datum", "plate"},
                     {"pictures", {{"picture", "red"}}},
                     {"params",
                      {{"mode", "colour"},
                       {"tolerance", 26},
                       {"lightness", 0.5},
                       {"least", 38},
                       {"may_stick", std::round(0.9 * k * k)},
                       {"reach", std::round(1.6 * k)}}},
                     {"samples", {{{"at", {c.x, c.y}}}, {{"at", {brass.x, brass.y}}, {"not", true}}}},
                     {"places", joints},
                     {"checks", {checkJson("ratios", "Glue", 4, {{"high", 1}})}}});
    return r;
}
} // namespace

base::Status writeFittedReeds(const std::string& folder, std::uint64_t seed, int count, const Field& wanted)
{
    const Field f = usable(wanted);
    if (auto ok = makeFolder(folder); !ok) return ok;
    const FittedPicture reference = fittedReference(f);
    for (int i = 1; i <= 8; ++i)
        if (auto ok = writeMade(folder, madeOf(fittedReeds(f, 7777, 3 * i)), "good-" + std::to_string(i) + ".png"); !ok)
            return ok;
    for (const auto& [fault, leaf] :
         {std::pair{ReedFault::ReedMissing, "no-reed.png"}, {ReedFault::RivetMissing, "no-rivet.png"}}) {
        FittedTruth bare;
        bare.fault = fault, bare.place = 5, bare.pose = reference.truth.pose;
        Random random(5);
        if (auto ok = writeMade(folder, madeOf(drawFitted(f, bare, random)), leaf); !ok) return ok;
    }
    const Pose pose = reference.truth.pose;
    return writeSet(folder, {"fitted-reeds", "reeds"}, seed, count, f, madeOf(fittedReference(f)),
                    fittedRecipe(f, pose), [&](int n) { return madeOf(fittedReeds(f, seed, n)); });
}

// ---------------------------------------------------------------- a printed label
namespace
{
constexpr double kLabelWide = 80, kLabelHigh = 34, kMayDrift = 0.3;
Field labelField(const Field& f)
{
    return f.width == Field{}.width && f.height == Field{}.height ? Field{1400, 700, 0.07} : f;
}

struct LabelInk {
    Ink ink; // mm
    bool print = true;
};
// Lines of made-up lettering, a frame, bars and a disc of full colour.
std::vector<LabelInk> labelInks(const LabelTruth& t)
{
    std::vector<LabelInk> out;
    out.push_back(
        {{{232, 228, 216}, {roundedBox(-kLabelWide / 2, -kLabelHigh / 2, kLabelWide / 2, kLabelHigh / 2, 1.5)}},
         false});
    const auto frame = [](double w, double h) { return box({0, 0}, w, h); };
    out.push_back({{{28, 64, 120}, {frame(72, 27)}, {frame(70.8, 25.8)}}});
    Ink letters{{44, 44, 50}, {}};
    Random random(23);
    for (int line = 0; line < 4; ++line) {
        if (t.fault == PrintFault::LineMissing && std::abs(t.at.y - (-8.0 + 4.4 * line)) < 1) continue;
        for (double x = -31; x < 8;) {
            const double y = -8.0 + 4.4 * line, tall = 2.4;
            const int kind = random.below(4);
            if (kind == 0) {
                x += 1.6;
                continue;
            }
            letters.shapes.push_back(box({x, y}, 0.42, tall));
            if (kind > 1) letters.shapes.push_back(box({x + 0.9, y + (kind == 2 ? -0.99 : 0.99)}, 1.4, 0.42));
            if (kind == 3) letters.shapes.push_back(circleOutline({x + 1.2, y - 0.5}, 0.42));
            x += 2.3;
        }
    }
    out.push_back({letters});
    for (int i = 0; i < 12; ++i) out.push_back({{{40, 40, 44}, {box({12 + i * 1.1, 6.5}, i % 3 ? 0.35 : 0.62, 7)}}});
    const bool weak = t.fault == PrintFault::WeakColour;
    out.push_back({{weak ? std::array<double, 3>{204, 116, 118} : std::array<double, 3>{182, 44, 56},
                    {circleOutline({24, -5}, 5.2)}}});
    out.push_back({{{232, 228, 216}, {box({24, -5}, 6.2, 1.1)}}});
    return out;
}
} // namespace

const char* name(PrintFault fault)
{
    constexpr const char* names[] = {"", "line missing", "blot", "weak colour", "print off"};
    return names[std::size_t(fault)];
}

image::Image drawLabel(const Field& field, const LabelTruth& t, Random& random)
{
    const double k = 1 / field.mmPerPixel;
    std::vector<Ink> inks;
    for (LabelInk& l : labelInks(t)) {
        for (auto* shapes : {&l.ink.shapes, &l.ink.holes})
            for (auto& o : *shapes)
                for (Point& p : o) p = t.pose.toPicture((p + (l.print ? t.drift : Point{})) * k);
        inks.push_back(std::move(l.ink));
    }
    if (t.fault == PrintFault::Blot) {
        Ink blot{{70, 66, 74}, {blobOf(t.at, 0.75, random)}};
        for (auto& o : blot.shapes)
            for (Point& p : o) p = t.pose.toPicture(p * k);
        inks.push_back(std::move(blot));
    }
    PaintLook look;
    look.blur = random.uniform(0.6, 1.2);
    look.light = random.uniform(0.85, 1.1);
    look.slopeX = random.uniform(-0.04, 0.04), look.slopeY = random.uniform(-0.04, 0.04);
    look.noise = random.uniform(1, 2.6);
    return painted({62, 60, 58}, inks, field.width, field.height, look, random);
}

LabelTruth labelTruth(const Field& wanted, std::uint64_t seed, int n)
{
    const Field f = labelField(wanted);
    Random random(seed * 5003ULL + std::uint64_t(n) * 577ULL + 11);
    const double k = 1 / f.mmPerPixel;
    LabelTruth t;
    t.pose = {Point{0.5 * f.width, 0.5 * f.height} + Point{random.uniform(-4, 4), random.uniform(-4, 4)} * k,
              random.uniform(-0.09, 0.09)};
    const double way = random.uniform(0, 2 * geometry::kPi);
    t.drift = geometry::direction(way) * random.uniform(0, kMayDrift * 0.85);
    if (n % 3 == 2) {
        t.fault = PrintFault(1 + (n / 3) % 4);
        if (t.fault == PrintFault::LineMissing) t.at = {-12, -8.0 + 4.4 * random.below(4)};
        if (t.fault == PrintFault::Blot) t.at = {random.uniform(-30, 30), random.uniform(-11, 11)};
        if (t.fault == PrintFault::WeakColour) t.at = {24, -5};
        if (t.fault == PrintFault::PrintOff) t.drift = geometry::direction(way) * random.uniform(0.5, 0.8);
    }
    return t;
}

namespace
{
Made madeLabel(const Field& f, const LabelTruth& t, std::uint64_t seed)
{
    Random random(seed);
    Made m;
    m.picture = drawLabel(f, t, random);
    m.bad = t.fault != PrintFault::None, m.fault = name(t.fault);
    m.items.push_back({{"item", 1},
                       {"centre", {t.pose.origin.x, t.pose.origin.y}},
                       {"angle", geometry::degrees(t.pose.angle)},
                       {"drift", {t.drift.x, t.drift.y}},
                       {"at", {t.at.x, t.at.y}}});
    return m;
}
} // namespace

base::Status writeLabelPrints(const std::string& folder, std::uint64_t seed, int count, const Field& wanted)
{
    const Field f = labelField(wanted);
    if (auto ok = makeFolder(folder); !ok) return ok;
    const double k = 1 / f.mmPerPixel;
    LabelTruth good;
    good.pose = {{0.5 * f.width, 0.5 * f.height}, 0};
    const auto at = [&](Point mm) { return good.pose.toPicture(mm * k); };
    json r = recipeHead("Label, printed", f);
    r["calibration"]["by"] = "lens and distance, stated";
    r["samples"] = json::array();
    for (int i = 1; i <= 8; ++i) {
        const std::string leaf = "good-" + std::to_string(i) + ".png";
        if (auto ok = writeMade(folder, madeLabel(f, labelTruth(f, 4242, 3 * i), std::uint64_t(9000 + i)), leaf); !ok)
            return ok;
        r["samples"].push_back({{"file", leaf}, {"taken_from", leaf}});
    }
    auto& steps = r["steps"];
    steps.push_back({{"id", "label"},
                     {"kind", "pattern"},
                     {"name", "Label"},
                     {"letter", "A"},
                     {"params", {{"least_score", 0.65}, {"angle_range", 15}, {"least_contrast", 25}}},
                     {"regions", {{"part", rectangleJson(at({0, 0}), (kLabelWide + 3) * k, (kLabelHigh + 3) * k)}}},
                     {"points", {{"origin", {good.pose.origin.x, good.pose.origin.y}}}},
                     {"leave_out", {rectangleJson(at({0, 0}), (kLabelWide - 4) * k, (kLabelHigh - 4) * k)}},
                     {"checks", {checkJson("score", "Label", 0, {{"low", 0.65}})}}});
    steps.push_back(
        {{"id", "print"},
         {"kind", "learned_area"},
         {"name", "Print, as learned"},
         {"datum", "label"},
         {"params", {{"by", "colour"}, {"light", "uneven"}, {"least_area", 10}, {"drift", std::round(1.2 * k)}}},
         {"regions", {{"region", rectangleJson(at({0, 0}), 74 * k, 29 * k)}}},
         {"checks",
          {checkJson("ratio", "Print, as learned", 1, {{"high", 1}}),
           checkJson("drift", "Print off by", 2, {{"high", kMayDrift}, {"unit", "mm"}, {"fault", "print off"}})}}});
    Made reference = madeLabel(f, good, 3);
    return writeSet(folder, {"label-print", "label"}, seed, count, f, reference, r, [&](int n) {
        return madeLabel(f, labelTruth(f, seed, n), seed * 31ULL + std::uint64_t(n) * 17ULL + 3);
    });
}

} // namespace demo
