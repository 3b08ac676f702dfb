#include "proof/plant.h"

#include "geometry/region.h"
#include "proof/change.h"
#include "proof/random.h"

#include <cmath>
#include <functional>

namespace proof
{
using geometry::Point;
using image::Image;

namespace
{
constexpr FaultKind kKinds[] = {
    {"burr", "burr", "Material that stands out of the outline by so much.", true},
    {"bite", "bite", "Material that is missing at the outline, so deep.", true},
    {"opening_short", "opening short", "An opening that ends so much too early.", true},
    {"opening_long", "opening long", "An opening that goes on so much too far.", true},
    {"opening_off", "opening off place", "An opening that lies so far beside its place.", true},
    {"hole_too_many", "hole too many", "A hole of this diameter where none belongs.", true},
    {"blot", "blot", "A spot of this diameter, half as bright as the ground.", true},
    {"scratch", "scratch", "A line of this length and 3 px width, half as bright as the ground.", true},
    {"opening_closed", "opening closed", "An opening that is not there.", false},
    {"half_missing", "half of the part missing", "One side of the part is not there.", false},
    {"part_missing", "part missing", "The part is not there at all.", false},
    {"place_empty", "place empty", "What belongs in one of the recipe's places is not there.", false},
    {"place_turned", "place turned", "What is in a place, turned by 25° about its middle.", false},
    {"place_recoloured", "place recoloured", "What is in a place, in another colour; of grey pictures paler.", false},
    {"place_exchanged", "place exchanged", "What belongs in another place, where it looks otherwise.", false},
    {"place_lifted", "place lifted", "What is in a place, up at one end by its own thickness; heights alone show it.",
     false},
};
constexpr double kSoft = 0.9; // px, sigma of a border

double edge(double inside) { return 0.5 * (1 + std::erf(inside / (kSoft * std::sqrt(2.0)))); }

// Changes a box of a picture: `share` gives, from how much of the ground is seen at a place now, how much will be.
struct Box {
    int left, top, right, low; // ends included
};
void repaint(Image& picture, const image::GreyView& grey, const Anatomy& a, Box box,
             const std::function<double(int, int, double)>& share)
{
    const bool wide = image::bytesPerSample(picture.format()) == 2;
    const int ch = image::channels(picture.format());
    const double scale = wide ? 257 : 1;
    // Read before anything is written: shifted openings read beside themselves.
    struct Change {
        int x, y;
        double by;
    };
    std::vector<Change> changes;
    for (int y = std::max(0, box.top); y <= std::min(picture.height() - 1, box.low); ++y)
        for (int x = std::max(0, box.left); x <= std::min(picture.width() - 1, box.right); ++x) {
            const double now = a.share(grey.levelAt(x, y)), next = share(x, y, now);
            if (std::abs(next - now) > 1e-3) changes.push_back({x, y, (next - now) * (a.ground - a.part)});
        }
    for (const Change& c : changes)
        for (int k = 0; k < ch; ++k) {
            const auto put = [&](auto& v, double most) {
                v = std::remove_reference_t<decltype(v)>(std::clamp(double(v) + c.by * scale + 0.5, 0.0, most));
            };
            if (wide) put(reinterpret_cast<std::uint16_t*>(picture.row(c.y))[c.x * ch + k], 65535);
            else put(picture.row(c.y)[c.x * ch + k], 255);
        }
}

struct Fault {
    Box box{};
    Point at;
    double radius = 0;
    std::function<double(int, int, double)> share;
};
using Made = base::Result<Fault>;
Made none(const char* why) { return base::fail(base::ErrorCode::NoResult, why); }

Fault disc(Point at, double radius, const std::function<double(double now, double cover)>& what)
{
    const int reach = int(std::ceil(radius)) + 4;
    Fault f;
    f.at = at, f.radius = radius + 3;
    f.box = {int(at.x) - reach, int(at.y) - reach, int(at.x) + reach, int(at.y) + reach};
    f.share = [=](int x, int y, double now) { return what(now, edge(radius - std::hypot(x - at.x, y - at.y))); };
    return f;
}
Made onOutline(const Anatomy& a, double size, bool burr, Random& r)
{
    if (a.outline.empty()) return none("the part has no outline in the picture");
    const OutlinePoint p = a.outline[std::size_t(r.below(int(a.outline.size())))];
    // Half a disc: as high (or deep) as its radius.
    return disc(p.at, size,
                [=](double now, double cover) { return burr ? std::min(now, 1 - cover) : std::max(now, cover); });
}
Made onPart(const image::GreyView& grey, const Anatomy& a, double size, double strength, Random& r)
{
    // Well away from borders, where there is room for it.
    const auto room = [&](Point p) {
        for (int k = 0; k < 16; ++k) {
            const Point q = p + geometry::direction(k * geometry::kPi / 8) * (size / 2 + 4);
            if (!grey.contains(q.x, q.y) || a.share(grey.levelAt(int(std::lround(q.x)), int(std::lround(q.y)))) > 0.4)
                return false;
        }
        return true;
    };
    for (int tries = 0; tries < 60 && !a.inside.empty(); ++tries) {
        const Point at = a.inside[std::size_t(r.below(int(a.inside.size())))];
        if (room(at))
            return disc(at, size / 2, [=](double now, double cover) { return now + cover * strength * (1 - now); });
    }
    return none("the part has no plain place so large");
}
Made scratch(const Anatomy& a, double size, Random& r)
{
    if (a.inside.empty()) return none("the part has no plain place");
    const Point at = a.inside[std::size_t(r.below(int(a.inside.size())))],
                along = geometry::direction(r.uniform(0, geometry::kPi));
    const int reach = int(std::ceil(size / 2)) + 5;
    Fault f;
    f.at = at, f.radius = size / 2 + 4;
    f.box = {int(at.x) - reach, int(at.y) - reach, int(at.x) + reach, int(at.y) + reach};
    f.share = [=](int x, int y, double now) {
        const Point d = Point{double(x), double(y)} - at;
        const double cover =
            edge(size / 2 - std::abs(geometry::dot(d, along))) * edge(1.5 - std::abs(geometry::cross(d, along)));
        return now < 0.5 ? now + 0.5 * cover * (1 - now) : now; // openings have no surface
    };
    return f;
}
Made opening(const image::GreyView& grey, const Anatomy& a, const std::string& kind, double size, Random& r)
{
    if (a.openings.empty()) return none("the part has no opening");
    const Opening o = a.openings[std::size_t(r.below(int(a.openings.size())))];
    const auto seen = [=, &a](double x, double y) {
        const int ix = int(std::lround(x)), iy = int(std::lround(y));
        // Only the opening itself: what lies beside its box is another thing.
        if (ix < o.left - 3 || iy < o.top - 3 || ix > o.right + 3 || iy > o.low + 3 || !grey.contains(ix, iy))
            return 0.0;
        const double fx = x - std::floor(x), fy = y - std::floor(y);
        const int x0 = int(std::floor(x)), y0 = int(std::floor(y));
        const auto at = [&](int u, int v) {
            return a.share(grey.levelAt(std::clamp(u, 0, grey.width - 1), std::clamp(v, 0, grey.height - 1)));
        };
        return (at(x0, y0) * (1 - fx) + at(x0 + 1, y0) * fx) * (1 - fy) +
               (at(x0, y0 + 1) * (1 - fx) + at(x0 + 1, y0 + 1) * fx) * fy;
    };
    Fault f;
    f.at = o.centre;
    f.radius = o.length / 2 + size + 3;
    const int rim = int(std::ceil(size)) + 4;
    f.box = {o.left - rim, o.top - rim, o.right + rim, o.low + rim};
    const auto own = [=](int x, int y) {
        return x >= o.left - 3 && y >= o.top - 3 && x <= o.right + 3 && y <= o.low + 3;
    };
    const Point end = o.along * (r.below(2) ? size : -size);
    if (kind == "opening_closed") {
        f.box = {o.left - 3, o.top - 3, o.right + 3, o.low + 3};
        f.radius = o.length / 2 + 3;
        f.share = [](int, int, double) { return 0.0; };
        return f;
    }
    if (size > 0.7 * o.length && kind == "opening_short") return none("the opening is not as long");
    if (size > std::max(12.0, 1.2 * o.length)) return none("the opening is smaller");
    if (kind == "opening_short") {
        // What it has in common with itself, shifted along.
        f.share = [=](int x, int y, double now) { return own(x, y) ? std::min(now, seen(x + end.x, y + end.y)) : now; };
        return f;
    }
    if (kind == "opening_long") {
        f.share = [=](int x, int y, double now) {
            double most = now;
            if (own(x, y) && now > 0.98) return now;
            for (double s = 0; s <= 1.0001; s += 1 / std::max(1.0, size))
                most = std::max(most, seen(x + s * end.x, y + s * end.y));
            return most;
        };
        return f;
    }
    const Point off = geometry::direction(r.uniform(0, 2 * geometry::kPi)) * size;
    f.share = [=](int x, int y, double now) {
        const double moved = seen(x - off.x, y - off.y);
        return own(x, y) ? moved : std::max(now, moved);
    };
    return f;
}
Made missing(const Anatomy& a, bool half, Random& r)
{
    if (a.parts.empty()) return none("there is no part");
    const Anatomy::Box p = a.parts[std::size_t(half ? r.below(int(a.parts.size())) : 0)];
    Fault f;
    f.box = {p.left - 6, p.top - 6, p.right + 6, p.low + 6};
    f.at = {(p.left + p.right) / 2.0, (p.top + p.low) / 2.0};
    f.radius = std::hypot(p.right - p.left, p.low - p.top) / 2;
    const int side = r.below(4);
    const Point c = f.at;
    f.share = [=](int x, int y, double now) {
        if (!half) return 1.0;
        const double d = side == 0 ? x - c.x : side == 1 ? c.x - x : side == 2 ? y - c.y : c.y - y;
        return std::max(now, edge(d));
    };
    return f;
}

// One of the recipe's places, emptied, turned, recoloured or exchanged; in every picture by its own levels.
class AtPlace
{
public:
    AtPlace(const Anatomy& a, const std::string& kind, Random& r) : m_kind(kind)
    {
        const std::size_t own = std::size_t(r.below(int(a.places.size())));
        m_region = geometry::Region::polygon(a.places[own]);
        m_middle = m_other = m_region.middle();
        if (a.places.size() > 1) // one of the others
            m_other = geometry::Region::polygon(
                          a.places[(own + 1 + std::size_t(r.below(int(a.places.size()) - 1))) % a.places.size()])
                          .middle();
        m_turn = geometry::radians(r.below(2) ? 25 : -25);
        for (const Point p : a.places[own]) m_reach = std::max(m_reach, geometry::distance(p, m_middle));
    }
    Point at() const { return m_middle; }
    double radius() const { return m_reach; }
    // How much is otherwise then, grey levels in the mean.
    double paint(Image& picture) const
    {
        const Image from = picture.clone();
        const int ch = image::channels(from.format());
        const bool wide = image::bytesPerSample(from.format()) == 2;
        const auto read = [&](int x, int y, int c) {
            x = std::clamp(x, 0, from.width() - 1), y = std::clamp(y, 0, from.height() - 1);
            return wide ? reinterpret_cast<const std::uint16_t*>(from.row(y))[x * ch + c] / 257.0
                        : double(from.row(y)[x * ch + c]);
        };
        const auto seen = [&](Point p, int c) {
            const int x = int(std::floor(p.x)), y = int(std::floor(p.y));
            const double fx = p.x - x, fy = p.y - y;
            return (read(x, y, c) * (1 - fx) + read(x + 1, y, c) * fx) * (1 - fy) +
                   (read(x, y + 1, c) * (1 - fx) + read(x + 1, y + 1, c) * fx) * fy;
        };
        // What lies just round it.
        std::array<double, 4> bare{};
        const std::vector<Point> outline = m_region.outlines().front();
        for (const Point p : outline)
            for (int c = 0; c < ch; ++c)
                bare[std::size_t(c)] += seen(m_middle + (p - m_middle) * (1 + 3 / m_reach), c) / double(outline.size());
        const double co = std::cos(m_turn), si = std::sin(m_turn);
        double changed = 0;
        int n = 0;
        const int reach = int(std::ceil(m_reach)) + 1, cx = int(m_middle.x), cy = int(m_middle.y);
        for (int y = std::max(0, cy - reach); y <= std::min(from.height() - 1, cy + reach); ++y)
            for (int x = std::max(0, cx - reach); x <= std::min(from.width() - 1, cx + reach); ++x) {
                const Point p{double(x), double(y)}, d = p - m_middle;
                const Point turned = m_middle + Point{d.x * co - d.y * si, d.x * si + d.y * co};
                // What is turned lies in part beside its place.
                const bool over = m_kind == "place_turned" && m_region.contains(turned);
                if (!over && !m_region.contains(p)) continue;
                for (int c = 0; c < ch; ++c) {
                    const double was = read(x, y, c);
                    double v = bare[std::size_t(c)];
                    if (over) v = seen(turned, c);
                    if (m_kind == "place_exchanged") v = seen(m_other + d, c);
                    if (m_kind == "place_recoloured")
                        v = ch == 3 ? 0.75 * read(x, y, (c + 1) % 3) + 15 * c : 0.6 * was + 70;
                    v = std::clamp(v, 0.0, 255.0);
                    changed += std::abs(v - was), ++n;
                    if (wide)
                        reinterpret_cast<std::uint16_t*>(picture.row(y))[x * ch + c] = std::uint16_t(257 * v + 0.5);
                    else picture.row(y)[x * ch + c] = std::uint8_t(v + 0.5);
                }
            }
        return n ? changed / n : 0;
    }
    // One end of its longer axis goes up by its thickness over what lies round it; that, in steps. 0: it has none.
    double lift(Image& pixels, const image::HeightView& was) const
    {
        const auto corners = m_region.outlines().front();
        Point along{1, 0};
        double reach = 0;
        for (const Point p : corners)
            if (const double d = geometry::distance(p, m_middle); d > reach)
                reach = d, along = (p - m_middle) * (1 / d);
        std::vector<double> inside, round;
        const auto each = [&](auto&& f) {
            const int far = int(std::ceil(1.3 * reach)), cx = int(m_middle.x), cy = int(m_middle.y);
            for (int y = std::max(0, cy - far); y <= std::min(was.height - 1, cy + far); ++y)
                for (int x = std::max(0, cx - far); x <= std::min(was.width - 1, cx + far); ++x)
                    if (!was.missing(x, y)) f(x, y, Point{double(x), double(y)});
        };
        each([&](int x, int y, Point p) {
            if (m_region.contains(p)) inside.push_back(was.raw(x, y));
            else if (m_region.contains(m_middle + (p - m_middle) * (1 / 1.3))) round.push_back(was.raw(x, y));
        });
        if (inside.size() < 20 || round.size() < 20) return 0;
        const auto quarter = [](std::vector<double>& v, int q) {
            const auto at = v.begin() + std::ptrdiff_t(v.size() * std::size_t(q) / 4);
            std::nth_element(v.begin(), at, v.end());
            return *at;
        };
        const double thick = quarter(inside, 2) - quarter(round, 2);
        // No more than they scatter: nothing lies there.
        if (std::abs(thick) < quarter(round, 3) - quarter(round, 1)) return 0;
        const double up = std::abs(thick) * (was.scale.mmPerStep < 0 ? -1 : 1);
        each([&](int x, int y, Point p) {
            if (!m_region.contains(p)) return;
            const double v = was.raw(x, y) + up * 0.5 * (1 + geometry::dot(p - m_middle, along) / reach);
            if (was.real) reinterpret_cast<float*>(pixels.row(y))[x] = float(v);
            else reinterpret_cast<std::uint16_t*>(pixels.row(y))[x] = std::uint16_t(std::clamp(v + 0.5, 0.0, 65535.0));
        });
        return up;
    }

private:
    std::string m_kind;
    geometry::Region m_region;
    Point m_middle, m_other;
    double m_turn = 0, m_reach = 1;
};
base::Result<Planted> plantedAtPlace(const image::Capture& capture, const Anatomy& a, const std::string& kind,
                                     Random& r)
{
    if (a.places.empty()) return base::fail(base::ErrorCode::NoResult, "the recipe has no places");
    const double otherwise = kind == "place_exchanged" ? 10 : 4; // grey levels: less is the same thing again
    const AtPlace place(a, kind, r);
    std::vector<image::Picture> pictures;
    double most = 0;
    const bool lifted = kind == "place_lifted";
    bool lifts = false;
    for (const image::Picture& p : capture.pictures()) {
        Image pixels = p.pixels.clone();
        const bool heights = p.content == image::Content::Height;
        if (lifted && heights) lifts = place.lift(pixels, p.heights()) != 0 || lifts;
        if (!lifted && !heights) most = std::max(most, place.paint(pixels));
        pictures.push_back(redrawn(p, std::move(pixels)));
    }
    if (lifted && !lifts) return base::fail(base::ErrorCode::NoResult, "no heights show that anything lies there");
    if (!lifted && most < otherwise) return base::fail(base::ErrorCode::NoResult, "it would look as before");
    return Planted{{capture.id(), std::move(pictures)}, place.at(), place.radius()};
}
} // namespace

std::span<const FaultKind> faultKinds() { return kKinds; }
const FaultKind* findFault(const std::string& key)
{
    for (const FaultKind& k : kKinds)
        if (key == k.key) return &k;
    return nullptr;
}

base::Result<Planted> planted(const image::Capture& capture, const Anatomy& a, const std::string& kind, double size,
                              std::uint64_t seed)
{
    const image::Picture* first = nullptr;
    for (const image::Picture& p : capture.pictures())
        if (!first && p.content != image::Content::Height) first = &p;
    if (!first) return base::fail(base::ErrorCode::NoResult, "heights: faults are planted in light");
    const image::GreyView grey = first->grey();
    Random r(seed);
    if (kind.rfind("place_", 0) == 0 && findFault(kind)) return plantedAtPlace(capture, a, kind, r);
    std::vector<Fault> faults;
    const auto add = [&](Made made) -> base::Status {
        if (!made) return base::passOn(made.error());
        faults.push_back(std::move(*made));
        return {};
    };
    base::Status ok;
    if (kind == "burr" || kind == "bite") ok = add(onOutline(a, size, kind == "burr", r));
    else if (kind == "hole_too_many") ok = add(onPart(grey, a, size, 1, r));
    else if (kind == "blot") ok = add(onPart(grey, a, size, 0.5, r));
    else if (kind == "scratch") ok = add(scratch(a, size, r));
    else if (kind.rfind("opening", 0) == 0) ok = add(opening(grey, a, kind, size, r));
    else if (kind == "half_missing") ok = add(missing(a, true, r));
    else if (kind == "part_missing") {
        ok = add(missing(a, false, r));
        // All of it, were it in pieces.
        for (std::size_t i = 1; ok && i < a.parts.size(); ++i) {
            Anatomy one = a;
            one.parts = {a.parts[i]};
            ok = add(missing(one, false, r));
        }
    } else ok = base::fail(base::ErrorCode::InvalidArgument, "\"" + kind + "\" is no kind of fault");
    if (!ok) return base::passOn(ok.error());
    std::vector<image::Picture> pictures;
    for (const image::Picture& p : capture.pictures()) {
        Image pixels = p.pixels.clone();
        if (p.content != image::Content::Height)
            for (const Fault& f : faults) repaint(pixels, grey, a, f.box, f.share);
        pictures.push_back(redrawn(p, std::move(pixels)));
    }
    return Planted{{capture.id(), std::move(pictures)}, faults.front().at, faults.front().radius};
}

} // namespace proof
