#include "steps/glue.h"

#include <algorithm>
#include <cmath>

namespace steps
{
using geometry::Point;
using namespace recipe;

std::string noEdgeText(double leastStrength)
{
    return "no edge above " + base::toText(leastStrength, leastStrength == std::floor(leastStrength) ? 0 : 1) +
           " grey levels";
}

double noiseAbout(const RunInput& in, const geometry::Region& region)
{
    static constexpr int kLeast = 64, kRim = 16, kMost = 64;
    const image::GreyView whole = in.grey();
    int left = whole.width, top = whole.height, right = 0, low = 0;
    for (const auto& outline : region.outlines())
        for (const Point p : outline) {
            const double x = std::clamp(p.x, 0.0, double(whole.width)), y = std::clamp(p.y, 0.0, double(whole.height));
            left = std::min(left, int(x)), right = std::max(right, int(x) + 1);
            top = std::min(top, int(y)), low = std::max(low, int(y) + 1);
        }
    if (right <= left || low <= top) left = top = 0, right = whole.width, low = whole.height;
    const auto widen = [](int& from, int& to, int size) {
        const int by = std::max(kRim, (kLeast - (to - from)) / 2);
        from = std::max(0, from - by), to = std::min(size, to + by);
        // Its middle tells enough.
        if (to - from > kMost) from = (from + to - kMost) / 2, to = from + kMost;
    };
    widen(left, right, whole.width), widen(top, low, whole.height);
    image::GreyView part = whole;
    const std::ptrdiff_t at = top * whole.stride + left;
    part.data = static_cast<const std::uint8_t*>(whole.data) + at * (whole.wide ? 2 : 1);
    part.width = right - left, part.height = low - top;
    return vision::noise(part);
}
Spread edgeSpread(const vision::Edge& edge, double noise, std::uint64_t source)
{
    return edge.perNoise > 0 ? Spread::source(source, edge.perNoise * noise) : Spread{};
}
Spreads alongSpread(Point direction, const Spread& s) { return {scaled(s, direction.x), scaled(s, direction.y)}; }
Spread scaled(Spread s, double factor)
{
    for (auto& [id, sigma] : s.of) sigma *= factor;
    return s;
}
Spread plus(Spread a, const Spread& b, double factor)
{
    a.add(b, factor);
    return a;
}

Evidence profileEvidence(const vision::Profile& profile, const std::vector<vision::Edge>& edges, double leastStrength,
                         double smoothing, const std::function<bool(std::size_t)>& counts)
{
    Evidence e;
    e.title = "grey profile along the window";
    e.xLabel = "px from start", e.yLabel = "grey";
    Evidence::Curve grey{"grey level", {}, {}, false, false}, change{"change per px × 3", {}, {}, false, true};
    const std::vector<double> d = vision::derivative(profile, smoothing);
    for (int i = profile.first; i < profile.end; ++i) {
        const double at = profile.origin + i * profile.step;
        grey.x.push_back(at), grey.y.push_back(profile.level[std::size_t(i)]);
        change.x.push_back(at), change.y.push_back(std::abs(d[std::size_t(i)]) * 3);
    }
    e.curves = {grey, change};
    for (std::size_t i = 0; i < edges.size(); ++i)
        e.stems.push_back({edges[i].position, edges[i].strength, std::to_string(i + 1), counts(i), edges[i].point});
    e.handles.push_back({"least_strength", "least strength", false, leastStrength});
    return e;
}

ObjectTable edgeTable(const RunInput& in, const vision::Profile& profile, vision::EdgeOptions o,
                      const std::function<bool(const vision::Edge&)>& means)
{
    ObjectTable table;
    table.columns = {{"position", "Along the way", base::Unit::Pixel},
                     {"strength", "Strength", base::Unit::GreyLevel},
                     {"contrast", "To brighter", base::Unit::None}};
    const vision::EdgeOptions asked = o;
    o.leastStrength = std::min(o.leastStrength, 2.0), o.polarity = vision::Polarity::Any;
    int number = 0;
    std::vector<ObjectTable::Row> away;
    for (const vision::Edge& e : vision::edges(profile, o)) {
        ObjectTable::Row row;
        row.at = in.level(e.point);
        row.values = {e.position, e.strength, e.polarity > 0 ? 1.0 : 0.0};
        const bool other = asked.polarity != vision::Polarity::Any &&
                           (asked.polarity == vision::Polarity::DarkToBright) != (e.polarity > 0);
        if (geometry::containsAny(in.leaveOut, e.point)) row.fate = Fate::LeftOut;
        else if (e.strength < asked.leastStrength)
            row.fate = Fate::Bounded, row.by = "least_strength", row.value = e.strength, row.low = asked.leastStrength;
        else if (other) row.fate = Fate::NotChosen, row.by = "polarity";
        else if (!means(e)) row.fate = Fate::NotChosen;
        else row.number = ++number;
        (row.number > 0 ? table.rows : away).push_back(std::move(row));
    }
    table.rows.insert(table.rows.end(), away.begin(), away.end());
    return table;
}

double leastStrengthFor(double weakest, double noise)
{
    return std::clamp(std::round(std::max(0.4 * weakest, 4 * noise)), 1.0, 255.0);
}

double averagingWidth(const Gesture& g)
{
    if (g.width > 0) return g.width;
    return std::clamp(std::round(0.05 * geometry::distance(g.from, g.to)), 7.0, 41.0);
}

double squareTurn(const image::GreyView& picture, const vision::Edge& edge, Point along, double width,
                  const vision::EdgeOptions& options)
{
    const Point across = geometry::leftOf(along);
    const double reach = std::max(20.0, width);
    vision::EdgeOptions same = options;
    same.polarity = edge.polarity > 0 ? vision::Polarity::DarkToBright : vision::Polarity::BrightToDark;
    // Windows side by side along the edge; each looks ± 8° of the reach up and down.
    std::vector<Point> points;
    for (int i = -4; i <= 4; ++i) {
        const Point c = edge.point + across * (reach * i / 4.0);
        const double half = 6 + std::abs(reach * i / 4.0) * std::tan(geometry::radians(8.0));
        if (const auto p = vision::profile(picture, c - along * half, c + along * half, 3))
            if (const auto e = vision::pick(vision::edges(*p, same), vision::Pick::Strongest))
                points.push_back(e->point);
    }
    const auto fit = geometry::fitLine(points, 0.5);
    if (!fit || fit->usedCount < 6) return 0;
    double turn = geometry::wrapped(geometry::angleOf(fit->shape.along()) - geometry::angleOf(across));
    if (turn > geometry::kPi / 2) turn -= geometry::kPi;
    if (turn < -geometry::kPi / 2) turn += geometry::kPi;
    return std::abs(turn) <= geometry::radians(8.0) ? turn : 0;
}

Mark pointsMark(std::vector<Point> points, MarkRole role)
{
    return {MarkShape::Points, role, std::move(points), 0, {}};
}
Mark levelled(const RunInput& in, Mark m)
{
    for (Point& p : m.points) p = in.level(p);
    return m;
}
Mark lineMark(Point from, Point to, MarkRole role) { return {MarkShape::Polyline, role, {from, to}, 0, {}}; }
Mark edgeMark(const vision::Edge& edge, Point along, double width, MarkRole role)
{
    const Point across = geometry::leftOf(along) * (std::max(width, 8.0) / 2);
    return lineMark(edge.point - across, edge.point + across, role);
}

RunOutput pointResult(const RunInput& in, Point p)
{
    RunOutput out;
    const Point local = in.frame.toLocal(p);
    out.values["x"] = {p.x}, out.values["y"] = {p.y};
    out.values["along_x"] = {local.x}, out.values["along_y"] = {local.y};
    out.features["point"] = p;
    out.marks.push_back(lineMark(p - Point{6, 0}, p + Point{6, 0}));
    out.marks.push_back(lineMark(p - Point{0, 6}, p + Point{0, 6}));
    return out;
}

RunOutput lineResult(const RunInput& in, const geometry::Segment& s)
{
    RunOutput out;
    out.values["angle"] = {geometry::degrees(geometry::wrapped(geometry::angleOf(s.along())))};
    out.values["datum_angle"] = {geometry::degrees(geometry::wrapped(geometry::angleOf(s.along()) - in.frame.angle))};
    out.values["length"] = {s.length()};
    out.features["line"] = s;
    out.marks.push_back(lineMark(s.from, s.to));
    return out;
}

base::Result<std::vector<DenseEdge>> densePoints(const RunInput& in, const Feature& feature,
                                                 const DenseSettings& stated)
{
    // Lengths along and across the part grow with it.
    DenseSettings s = stated;
    s.reach *= in.grows(), s.margin *= in.grows(), s.gap *= in.grows();
    const vision::EdgeOptions o{vision::Polarity::Any, s.leastStrength, s.smoothing};
    std::vector<DenseEdge> out;
    const auto keep = [&](const vision::Edge& e, double offset) {
        if (geometry::containsAny(in.leaveOut, e.point) || (s.gap > 0 && std::abs(offset) > s.gap)) return;
        out.push_back({e, offset});
    };
    // Under tilt or lens a straight thing is bent in the picture: each profile is laid where the level place lies,
    // square to it there.
    const auto across = [&](Point at, Point outwards, double station, double offsetOfMiddle) {
        const auto p = vision::profile(in.grey(), in.picture(at - outwards * s.reach),
                                       in.picture(at + outwards * s.reach), s.windowWidth);
        if (!p) return;
        for (vision::Edge e : vision::edges(*p, o)) {
            if (geometry::containsAny(in.leaveOut, e.point)) continue;
            e.point = in.level(e.point), e.station = station;
            const double offset = geometry::dot(e.point - at, outwards) + offsetOfMiddle;
            if (s.gap <= 0 || std::abs(offset) <= s.gap) out.push_back({e, offset});
        }
    };
    if (const auto* line = std::get_if<geometry::Segment>(&feature); line && in.bends()) {
        const double length = line->length() - 2 * s.margin;
        if (length <= 2) return base::fail(base::ErrorCode::NoResult, "nothing of the line is left between its ends");
        const Point u = line->along();
        const int count = std::max(1, int(std::ceil(length / s.spacing)));
        for (int i = 0; i <= count; ++i) {
            const double at = s.margin + length * i / count;
            across(line->from + u * at, geometry::leftOf(u), at - s.margin, 0);
        }
        for (DenseEdge& e : out) e.offset = geometry::signedDistance(*line, e.edge.point);
    } else if (const auto* round = std::get_if<geometry::Circle>(&feature); round && in.bends()) {
        const int count = std::max(24, int(std::ceil(round->sweep * round->radius / s.spacing)));
        for (int i = 0; i < count; ++i) {
            const double a = round->start + round->sweep * (round->isArc() ? i + 0.5 : double(i)) / count;
            across(round->centre + geometry::direction(a) * round->radius, geometry::direction(a), a, 0);
        }
        for (DenseEdge& e : out) {
            const double shift = (e.edge.blur * e.edge.blur + 1.0 / 3) / (2 * std::max(1.0, round->radius));
            e.edge.point = e.edge.point + geometry::unit(e.edge.point - round->centre) * shift;
            e.offset = geometry::distance(e.edge.point, round->centre) - round->radius;
        }
    } else if (line) {
        const geometry::Segment cut{line->from + line->along() * s.margin, line->to - line->along() * s.margin};
        if (line->length() <= 2 * s.margin + 2)
            return base::fail(base::ErrorCode::NoResult, "nothing of the line is left between its ends");
        for (const vision::Edge& e : vision::denseEdges(in.grey(), cut, s.reach, s.spacing, s.windowWidth, o))
            keep(e, geometry::signedDistance(*line, e.point));
    } else if (const auto* circle = round) {
        for (vision::Edge e : vision::denseEdges(in.grey(), *circle, s.reach, s.spacing, s.windowWidth, o)) {
            // Blur shows a curved edge too far inward; the corrected circle was found without that shift.
            const double shift = (e.blur * e.blur + 1.0 / 3) / (2 * std::max(1.0, circle->radius));
            e.point = e.point + geometry::unit(e.point - circle->centre) * shift;
            keep(e, geometry::distance(e.point, circle->centre) - circle->radius);
        }
    }
    if (out.empty()) return base::fail(base::ErrorCode::NoResult, noEdgeText(s.leastStrength) + " along the feature");
    return out;
}

const Feature* pulledFrom(const Gesture& g, const OfferInput& in)
{
    if (g.type == Gesture::Type::Area || g.fromFeature.empty() ||
        (!g.toFeature.empty() && g.toFeature != g.fromFeature))
        return nullptr;
    const auto f = in.features.find(g.fromFeature);
    return f == in.features.end() ? nullptr : &f->second;
}

Mark roundMark(const geometry::Circle& c, MarkRole role)
{
    if (!c.isArc()) return {MarkShape::Circle, role, {c.centre}, c.radius, {}};
    Mark m{MarkShape::Polyline, role, {}, 0, {}};
    const int n = std::max(2, int(c.sweep * 20));
    for (int i = 0; i <= n; ++i)
        m.points.push_back(c.centre + geometry::direction(c.start + c.sweep * i / n) * c.radius);
    return m;
}

std::vector<Point> outlineOf(const std::vector<DenseEdge>& edges)
{
    double rising = 0, all = 0;
    for (const DenseEdge& e : edges) rising += e.edge.polarity > 0 ? e.edge.strength : 0, all += e.edge.strength;
    const int polarity = 2 * rising >= all ? 1 : -1;
    std::vector<Point> out;
    for (std::size_t i = 0; i < edges.size();) {
        const DenseEdge* best = nullptr;
        std::size_t k = i;
        for (; k < edges.size() && edges[k].edge.station == edges[i].edge.station; ++k)
            if (edges[k].edge.polarity == polarity && (!best || edges[k].edge.strength > best->edge.strength))
                best = &edges[k];
        if (best) out.push_back(best->edge.point);
        i = k;
    }
    return out;
}

RunOutput stripResult(const geometry::StripZone& z, std::vector<Point> points)
{
    RunOutput out;
    out.values["zone"] = {z.width};
    out.values["points"] = {double(points.size())};
    const Point side = geometry::leftOf(z.line.along()) * (z.width / 2);
    out.marks.push_back(lineMark(z.line.from + side, z.line.to + side));
    out.marks.push_back(lineMark(z.line.from - side, z.line.to - side));
    out.points["all"] = std::move(points);
    return out;
}

Point datumDirection(const RunInput& in)
{
    const auto datum = in.inputs.find("datum");
    return datum == in.inputs.end() ? geometry::direction(in.frame.angle)
                                    : std::get<geometry::Segment>(datum->second).along();
}

namespace
{
double offLine(geometry::Point a, geometry::Point b, geometry::Point q)
{
    const geometry::Point d = b - a;
    const double length = std::hypot(d.x, d.y);
    return length < 1e-9 ? geometry::distance(a, q) : std::abs(geometry::cross(d * (1 / length), q - a));
}
} // namespace

double bulge(const std::vector<geometry::Point>& path)
{
    double most = 0;
    for (const geometry::Point q : path) most = std::max(most, offLine(path.front(), path.back(), q));
    return most;
}

std::optional<geometry::Point> bentLegs(const std::vector<geometry::Point>& path)
{
    if (path.size() < 5) return std::nullopt;
    std::size_t bend = 0;
    double most = 0;
    for (std::size_t i = 1; i + 1 < path.size(); ++i)
        if (const double d = offLine(path.front(), path.back(), path[i]); d > most) most = d, bend = i;
    const geometry::Point a = path.front(), corner = path[bend], b = path.back();
    const double first = geometry::distance(a, corner), second = geometry::distance(corner, b);
    if (std::min(first, second) < 24) return std::nullopt;
    const double turn = std::abs(geometry::wrapped(geometry::angleOf(b - corner) - geometry::angleOf(corner - a)));
    if (turn < geometry::radians(20) || turn > geometry::radians(170)) return std::nullopt;
    for (std::size_t i = 0; i < path.size(); ++i) {
        const bool before = i <= bend;
        const double off = before ? offLine(a, corner, path[i]) : offLine(corner, b, path[i]);
        if (off > 0.06 * (before ? first : second) + 3) return std::nullopt; // an arc
    }
    return corner;
}

std::optional<geometry::Region> framedBy(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Area) return {};
    const Point d = g.to - g.from;
    if (std::abs(d.x) < 4 || std::abs(d.y) < 4) return {};
    const Point middle = (g.from + g.to) * 0.5;
    if (!in.hasDatum) return geometry::Region::rectangle(middle, std::abs(d.x), std::abs(d.y), 0);
    const Point u = geometry::direction(in.datumAngle), v = geometry::leftOf(u);
    return geometry::Region::rectangle(middle, std::max(2.0, std::abs(geometry::dot(u, d))),
                                       std::max(2.0, std::abs(geometry::dot(v, d))), in.datumAngle);
}

std::vector<Place> outlinedPlaces(const std::vector<Place>& places,
                                  const std::map<std::string, geometry::Region>& regions,
                                  const std::function<Point(Point)>& picture)
{
    const auto common = regions.find("outline");
    std::vector<Place> out = places;
    if (out.empty() && common != regions.end()) {
        Place one = framedPlace(common->second);
        one.marked = true;
        return {one};
    }
    for (Place& p : out) {
        if (p.outline) continue;
        const Point at = picture(p.at);
        if (common == regions.end()) {
            p.outline = geometry::Region::rectangle(at, 40, 40);
            continue;
        }
        const Point move = at - common->second.middle();
        p.outline = common->second.mapped([&](Point q) { return q + move; });
    }
    return out;
}
Place framedPlace(const geometry::Region& frame)
{
    Place one;
    one.name = "1", one.at = frame.middle(), one.outline = frame;
    return one;
}

} // namespace steps
