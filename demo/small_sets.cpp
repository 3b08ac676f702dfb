#include "demo/small_sets.h"

#include "demo/set_writer.h"

#include <cmath>

namespace demo
{
using geometry::Point;
using geometry::Pose;
using nlohmann::json;

namespace
{
image::Image shot(const Field& f, const Outlines& dark, const Outlines& holes, Random& random)
{
    Light l;
    l.bright += random.uniform(-8, 8);
    return backlit(blurredCoverage(dark, holes, f.width, f.height, 0.8, 2), f.width, f.height, l, random);
}

// ---- set 3: a plate of 24 × 10 mm with a hole and three slots
constexpr double kSmallLength = 24, kSmallWidth = 10;
struct SmallPlate {
    Pose pose;
    double width = kSmallWidth;
    int slots = 3;
};
void addSmall(const SmallPlate& p, double k, Outlines& dark, Outlines& holes)
{
    const auto placed = [&](std::vector<Point> o) {
        for (Point& q : o) q = p.pose.toPicture(q * k);
        return o;
    };
    const double half = p.width / 2;
    dark.push_back(placed(roundedBox(-kSmallLength / 2, -half, kSmallLength / 2, half, 0.8)));
    holes.push_back(placed(circleOutline({-9, 0}, 1.5)));
    for (int i = 0; i < p.slots; ++i)
        holes.push_back(placed(roundedBox(-4 + 5 * i, -3, -2.4 + 5 * i, 3 - 0.6 * i, 0.2)));
}

// ---- set 4: a ring of radius 42 mm with a bore, an index hole and eight notches
constexpr double kRim = 42, kBore = 14, kNotch = 9; // notch in degree
struct Ring {
    Pose pose;
    double notch = kNotch; // of the first one
    double oval = 0;       // of the bore, mm on the radius
    double sink = 0;       // dent in the rim, mm
};
void addRing(const Ring& r, double k, Outlines& dark, Outlines& holes)
{
    std::vector<Point> rim, bore;
    const auto wideOf = [&](int n) { return n == 0 ? r.notch : kNotch; };
    const auto radiusAt = [&](double degrees) {
        double radius = kRim;
        for (int n = 0; n < 8; ++n)
            if (std::abs(std::remainder(degrees - 45 * n, 360)) < wideOf(n) / 2) radius = kRim - 2.5;
        if (r.sink > 0) {
            const double t = std::remainder(degrees - 110, 360) / 3;
            if (std::abs(t) < 1) radius -= r.sink * (1 - t * t);
        }
        return radius;
    };
    const auto add = [&](double degrees, double radius) {
        rim.push_back(r.pose.toPicture(geometry::direction(geometry::radians(degrees)) * (radius * k)));
    };
    for (int i = 0; i < 3600; ++i) {
        const double degrees = i * 0.1, a = geometry::radians(degrees);
        add(degrees, radiusAt(degrees));
        // The notches' walls stand exactly where they belong.
        for (int n = 0; n < 8; ++n)
            for (const double wall : {45 * n - wideOf(n) / 2, 45 * n + wideOf(n) / 2})
                if (const double at = std::fmod(wall + 360, 360); at > degrees && at <= degrees + 0.1)
                    add(at, radiusAt(at - 1e-6)), add(at, radiusAt(at + 1e-6));
        bore.push_back(r.pose.toPicture(geometry::direction(a) * ((kBore + r.oval * std::cos(2 * a)) * k)));
    }
    dark.push_back(rim);
    holes.push_back(bore);
    auto index = circleOutline({26, 0}, 2.5);
    for (Point& q : index) q = r.pose.toPicture(q * k);
    holes.push_back(index);
}
} // namespace

base::Status writeSmallPlates(const std::string& folder, std::uint64_t seed, int count, const Field& field)
{
    const double k = 1 / field.mmPerPixel;
    Made reference;
    const Pose ref{{0.3 * field.width, 0.35 * field.height}, 0};
    {
        Random random(7);
        Outlines dark, holes;
        addSmall({ref}, k, dark, holes);
        reference.picture = shot(field, dark, holes, random);
    }
    const auto at = [&](double x, double y) { return ref.toPicture(Point{x, y} * k); };
    json r = recipeHead("Small plates, several in a picture", field);
    auto& steps = r["steps"];
    steps.push_back(
        {{"id", "plate"},
         {"kind", "pattern"},
         {"name", "Plate"},
         {"letter", "A"},
         {"params",
          {{"least_score", 0.55},
           {"least_distance", std::round(9 * k)},
           {"least_contrast", 20},
           {"finds", 12},
           {"order", "rows"}}},
         {"regions", {{"part", rectangleJson(ref.origin, (kSmallLength + 1.2) * k, (kSmallWidth + 1.2) * k)}}},
         {"points", {{"origin", {ref.origin.x, ref.origin.y}}}},
         {"checks", {checkJson("score", "Plate", 0, {{"low", 0.55}})}}});
    const Point a = at(-6.2, -kSmallWidth / 2 - 1.2), b = at(-6.2, kSmallWidth / 2 + 1.2), hole = at(-9, 0);
    steps.push_back(
        {{"id", "width"},
         {"kind", "edge_pair"},
         {"name", "Width"},
         {"datum", "plate"},
         {"params", {{"first", "bright_to_dark"}, {"least_strength", 60}}},
         {"regions",
          {{"window",
            {{"shape", "window"}, {"from", {a.x, a.y}}, {"to", {b.x, b.y}}, {"width", std::max(5.0, 0.8 * k)}}}}},
         {"checks",
          {checkJson("distance", "Width", 1,
                     {{"nominal", kSmallWidth}, {"plus", 0.06}, {"minus", 0.06}, {"unit", "mm"}})}}});
    steps.push_back(
        {{"id", "hole"},
         {"kind", "circle"},
         {"name", "Hole"},
         {"datum", "plate"},
         {"params", {{"polarity", "bright_to_dark"}, {"least_strength", 60}}},
         {"regions", {{"ring", ringJson(hole, 0.6 * k, 2.3 * k)}}},
         {"checks",
          {checkJson("diameter", "Hole", 2, {{"nominal", 3.0}, {"plus", 0.05}, {"minus", 0.05}, {"unit", "mm"}})}}});
    steps.push_back({{"id", "slots"},
                     {"kind", "blobs"},
                     {"name", "Slots"},
                     {"datum", "plate"},
                     {"params", {{"objects", "bright"}, {"least_area", std::max(8.0, std::round(2 * k * k))}}},
                     {"regions", {{"region", rectangleJson(at(2, 0), 15 * k, 8 * k)}}},
                     {"checks", {checkJson("count", "Slots", 3, {{"low", 3}, {"high", 3}})}}});
    return writeSet(folder, {"small-plates", "small-plates"}, seed, count, field, reference, r, [&](int n) {
        Random random(seed * 1'000'003ULL + std::uint64_t(n) * 7919ULL + 31);
        const int wanted = 2 + random.below(6);
        std::vector<SmallPlate> plates;
        const double reach = std::hypot(kSmallLength, kSmallWidth) / 2 * k + 10;
        for (int tries = 0; tries < 2000 && int(plates.size()) < wanted; ++tries) {
            SmallPlate p;
            p.pose = {{random.uniform(reach, field.width - 1 - reach), random.uniform(reach, field.height - 1 - reach)},
                      random.uniform(-geometry::kPi, geometry::kPi)};
            bool free = true;
            for (const SmallPlate& q : plates)
                free = free && geometry::distance(q.pose.origin, p.pose.origin) > 2 * reach * 0.93;
            p.width += random.normal(0.012, 0.03);
            if (free) plates.push_back(p);
        }
        Made m;
        if (n % 3 == 2 && !plates.empty()) {
            SmallPlate& p = plates[std::size_t(random.below(int(plates.size())))];
            m.bad = true;
            if (n % 2) p.slots = 2, m.fault = "missing slot";
            else p.width = kSmallWidth - random.uniform(0.12, 0.4), m.fault = "plate too narrow";
        }
        Outlines dark, holes;
        for (const SmallPlate& p : plates) {
            addSmall(p, k, dark, holes);
            m.items.push_back({{"centre", {p.pose.origin.x, p.pose.origin.y}},
                               {"angle", geometry::degrees(p.pose.angle)},
                               {"width", p.width},
                               {"slots", p.slots},
                               {"label", p.slots == 3 && std::abs(p.width - kSmallWidth) <= 0.06 ? "good" : "bad"}});
        }
        m.picture = shot(field, dark, holes, random);
        return m;
    });
}

base::Status writeTuningRings(const std::string& folder, std::uint64_t seed, int count, const Field& field)
{
    const double k = 1 / field.mmPerPixel;
    const Pose ref{{0.5 * field.width, 0.5 * field.height}, 0};
    Made reference;
    {
        Random random(7);
        Outlines dark, holes;
        addRing({ref}, k, dark, holes);
        reference.picture = shot(field, dark, holes, random);
    }
    const Point c = ref.origin, index = ref.toPicture(Point{26, 0} * k);
    json r = recipeHead("Tuning ring, eight notches", field);
    auto& steps = r["steps"];
    steps.push_back({{"id", "ring"},
                     {"kind", "pattern"},
                     {"name", "Ring"},
                     {"letter", "A"},
                     {"params", {{"least_score", 0.6}, {"least_contrast", 20}}},
                     {"regions", {{"part", {{"shape", "circle"}, {"centre", {c.x, c.y}}, {"radius", (kRim + 1) * k}}}}},
                     {"points", {{"origin", {c.x, c.y}}}},
                     // The notches look alike every 45°: the index hole and the bore tell the angle.
                     {"leave_out", {ringJson(c, (kRim - 4) * k, (kRim + 2) * k)}},
                     {"checks", {checkJson("score", "Ring", 0, {{"low", 0.6}})}}});
    steps.push_back({{"id", "bore"},
                     {"kind", "circle"},
                     {"name", "Bore"},
                     {"datum", "ring"},
                     {"params", {{"least_strength", 60}, {"windows", 120}, {"reach", 3}}},
                     {"regions", {{"ring", ringJson(c, (kBore - 2) * k, (kBore + 2) * k)}}},
                     {"checks",
                      {checkJson("diameter", "Bore", 1,
                                 {{"nominal", 2 * kBore}, {"plus", 0.05}, {"minus", 0.05}, {"unit", "mm"}})}}});
    steps.push_back({{"id", "index"},
                     {"kind", "circle"},
                     {"name", "Index hole"},
                     {"datum", "ring"},
                     {"params", {{"least_strength", 60}}},
                     {"regions", {{"ring", ringJson(index, 1.2 * k, 3.8 * k)}}}});
    steps.push_back({{"id", "frame"},
                     {"kind", "two_holes"},
                     {"name", "Bore and index"},
                     {"letter", "B"},
                     {"datum", "ring"},
                     {"inputs", {{"first", "bore"}, {"second", "index"}}}});
    steps.push_back({{"id", "rim"},
                     {"kind", "circle"},
                     {"name", "Rim"},
                     {"datum", "frame"},
                     {"params", {{"least_strength", 60}, {"windows", 160}, {"which", "last"}, {"inward", false}}},
                     {"regions", {{"ring", ringJson(c, (kRim - 1.2) * k, (kRim + 1.2) * k)}}},
                     {"checks",
                      {checkJson("diameter", "Rim", 2,
                                 {{"nominal", 2 * kRim}, {"plus", 0.05}, {"minus", 0.05}, {"unit", "mm"}})}}});
    // Across 0°: the notch on the index side.
    steps.push_back({{"id", "notch"},
                     {"kind", "edge_pair"},
                     {"name", "First notch"},
                     {"datum", "frame"},
                     {"params", {{"first", "dark_to_bright"}, {"least_strength", 60}}},
                     {"regions",
                      {{"window",
                        {{"shape", "arc"},
                         {"centre", {c.x, c.y}},
                         {"inner", (kRim - 1.8) * k},
                         {"outer", (kRim - 0.7) * k},
                         {"start", 348},
                         {"sweep", 24}}}}},
                     {"checks",
                      {checkJson("angle", "First notch", 3,
                                 {{"nominal", kNotch}, {"plus", 0.3}, {"minus", 0.3}, {"unit", "deg"}})}}});
    steps.push_back({{"id", "round"},
                     {"kind", "roundness"},
                     {"name", "Roundness of the bore"},
                     {"datum", "frame"},
                     {"inputs", {{"of", "bore"}}},
                     {"params", {{"least_strength", 60}, {"reach", std::max(4.0, std::round(0.8 * k))}}},
                     {"checks", {checkJson("zone", "Roundness of the bore", 4, {{"high", 0.06}, {"unit", "mm"}})}}});
    json notches = json::array();
    for (int n = 0; n < 8; ++n)
        notches.push_back({{"shape", "arc"},
                           {"centre", {c.x, c.y}},
                           {"inner", (kRim - 5) * k},
                           {"outer", (kRim + 3) * k},
                           {"start", 45 * n - 6.5},
                           {"sweep", 13}});
    steps.push_back(
        {{"id", "sink"},
         {"kind", "farthest"},
         {"name", "Sink in the rim"},
         {"datum", "frame"},
         {"inputs", {{"of", "rim"}}},
         {"leave_out", notches},
         {"params",
          {{"side", "inward"}, {"least_strength", 60}, {"spacing", 2}, {"reach", std::max(5.0, std::round(1.2 * k))}}},
         {"checks", {checkJson("size", "Sink in the rim", 5, {{"high", 0.1}, {"unit", "mm"}})}}});
    return writeSet(folder, {"tuning-ring", "tuning-ring"}, seed, count, field, reference, r, [&](int n) {
        Random random(seed * 1'000'003ULL + std::uint64_t(n) * 7919ULL + 47);
        Ring ring_;
        const double free = 0.5 * std::min(field.width, field.height) - (kRim + 1) * k - 4;
        ring_.pose = {
            {0.5 * field.width + random.uniform(-free, free), 0.5 * field.height + random.uniform(-free, free)},
            random.uniform(-geometry::kPi, geometry::kPi)};
        ring_.notch += random.normal(0.05, 0.15);
        Made m;
        if (n % 3 == 2) {
            m.bad = true;
            switch ((n / 3) % 3) {
            case 0:
                ring_.notch = kNotch + (random.below(2) ? 1 : -1) * random.uniform(0.6, 1.5),
                m.fault = "notch of the wrong width";
                break;
            case 1: ring_.oval = random.uniform(0.06, 0.2), m.fault = "bore out of round"; break;
            default: ring_.sink = random.uniform(0.2, 0.6), m.fault = "sink"; break;
            }
        }
        Outlines dark, holes;
        addRing(ring_, k, dark, holes);
        m.items.push_back({{"centre", {ring_.pose.origin.x, ring_.pose.origin.y}},
                           {"angle", geometry::degrees(ring_.pose.angle)},
                           {"notch", ring_.notch},
                           {"roundness", 2 * ring_.oval},
                           {"sink", ring_.sink}});
        m.picture = shot(field, dark, holes, random);
        return m;
    });
}

} // namespace demo
