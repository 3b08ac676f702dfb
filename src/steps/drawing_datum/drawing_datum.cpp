#include "steps/drawing_datum/drawing_datum.h"

#include "steps/drawing_glue.h"
#include "steps/finding.h"
#include "vision/blobs.h"
#include "vision/pattern.h"

#include <algorithm>
#include <cmath>

namespace steps
{
using namespace recipe;
using base::ErrorCode;
using base::Unit;
using drawing::Laid;
using drawing::Outline;
using geometry::Point;
using geometry::Pose;
using geometry::Shape;
using P = DrawingDatumParams;

namespace
{
constexpr double kMostSide = 16000; // px, of the drawn part: no picture is larger
constexpr double kMargin = 12;
constexpr std::size_t kStations = 1200;

struct Model {
    vision::PatternModel pattern, mirrored;
    std::vector<drawing::Likeness> likenesses;
    bool round = false; // its turn cannot be told
};

// The drawn part as a picture: what is taught.
image::Image rendered(const Outline& outline, double pxPerMm, bool dark, Point& origin)
{
    const drawing::Box& box = outline.box();
    const int w = int(std::ceil(box.width() * pxPerMm + 2 * kMargin)),
              h = int(std::ceil(box.height() * pxPerMm + 2 * kMargin));
    const Laid laid{{{kMargin - box.left * pxPerMm, kMargin + box.top * pxPerMm}, 0}, pxPerMm, false};
    origin = laid.pose.origin;
    constexpr int kFiner = 4; // rows in a row
    std::vector<std::vector<double>> crossings(std::size_t(h) * kFiner);
    for (std::size_t l = 0; l < outline.loops().size(); ++l) {
        const auto polygon = outline.polygon(int(l), 0.05 / pxPerMm);
        for (std::size_t i = 0; i < polygon.size(); ++i) {
            Point a = laid.toPicture(polygon[i]), b = laid.toPicture(polygon[(i + 1) % polygon.size()]);
            if (a.y > b.y) std::swap(a, b);
            const int first = std::max(0, int(std::ceil((a.y + 0.5) * kFiner - 0.5)));
            for (int r = first; r < h * kFiner; ++r) {
                const double y = (r + 0.5) / kFiner - 0.5;
                if (y >= b.y) break;
                if (y < a.y) continue;
                crossings[std::size_t(r)].push_back(a.x + (b.x - a.x) * (y - a.y) / (b.y - a.y));
            }
        }
    }
    image::Image out(w, h, image::PixelFormat::Grey8);
    std::vector<double> row(std::size_t(w) + 1);
    for (int y = 0; y < h; ++y) {
        std::fill(row.begin(), row.end(), 0.0);
        for (int k = 0; k < kFiner; ++k) {
            auto& c = crossings[std::size_t(y) * kFiner + std::size_t(k)];
            std::sort(c.begin(), c.end());
            for (std::size_t i = 0; i + 1 < c.size(); i += 2) {
                const double from = std::clamp(c[i] + 0.5, 0.0, double(w)),
                             to = std::clamp(c[i + 1] + 0.5, 0.0, double(w));
                for (int x = int(from); x < w && x < to; ++x)
                    row[std::size_t(x)] += (std::min(to, x + 1.0) - std::max(from, double(x))) / kFiner;
            }
        }
        std::uint8_t* to = out.row(y);
        for (int x = 0; x < w; ++x) {
            const double share = std::min(1.0, row[std::size_t(x)]);
            to[x] = std::uint8_t(std::lround(dark ? 200 - 150 * share : 50 + 150 * share));
        }
    }
    return out;
}

base::Result<vision::PatternModel> patternOf(const Outline& outline, double pxPerMm, bool dark)
{
    Point origin;
    const image::Image picture = rendered(outline, pxPerMm, dark, origin);
    const auto region = geometry::Region::rectangle({(picture.width() - 1) / 2.0, (picture.height() - 1) / 2.0},
                                                    picture.width() - 5, picture.height() - 5, 0);
    return vision::teachPattern(picture.grey(), region, {origin, 0}, 20);
}

base::Result<Model> teach(const P& p, const TeachInput& in)
{
    const double mm = in.calibration ? in.calibration->mmPerPixel() : 0;
    if (!(mm > 0))
        return base::fail(ErrorCode::NotFound,
                          "the recipe has no calibration: how large the drawing is in px is not known");
    const Outline& outline = *in.drawing;
    const double side = std::max(outline.box().width(), outline.box().height()) / mm;
    const std::string size =
        base::toText(outline.box().width(), 2) + " × " + base::toText(outline.box().height(), 2) + " mm";
    if (side > kMostSide)
        return base::fail(ErrorCode::OutOfRange, "the drawing is " + size + ", " + base::toText(side, 0) +
                                                     " px at this calibration: is its unit right?");
    if (side < 12)
        return base::fail(ErrorCode::OutOfRange, "the drawing is " + size + ", " + base::toText(side, 1) +
                                                     " px only at this calibration: is its unit right?");
    const bool dark = p.material == Objects::Dark;
    auto pattern = patternOf(outline, 1 / mm, dark);
    if (!pattern) return base::passOn(pattern.error());
    auto mirrored = patternOf(outline.mirrored(), 1 / mm, dark);
    if (!mirrored) return base::passOn(mirrored.error());
    Model m{std::move(*pattern), std::move(*mirrored), drawing::likenesses(outline, std::max(2 * mm, 0.02)), false};
    m.round = outline.loops().size() ==
              std::size_t(std::count_if(outline.loops().begin(), outline.loops().end(), [&](const drawing::Loop& l) {
                  return l.round && geometry::distance(l.round->centre, outline.centre()) < 2 * mm;
              }));
    return m;
}

vision::PatternOptions options(const P& p)
{
    vision::PatternOptions o;
    o.leastScore = p.leastScore;
    o.leastContrast = p.leastContrast;
    o.wanted = p.expected > 0 ? p.expected : p.most;
    o.most = 100000;
    return o;
}
std::vector<vision::PatternFind> search(const RunInput& in, const vision::PatternModel& model, vision::PatternOptions o)
{
    // It is laid by all of its edges afterwards: a few px are near enough.
    const double side = std::max(in.drawing->box().width(), in.drawing->box().height()) / in.mmPerPixel();
    o.finest = side > 1200 ? 2 : side > 600 ? 1 : 0;
    if (o.finest > 0) o.leastScore *= 0.85; // it is judged by its edges at full size, of which more agree
    return findIn(in, model, in.region("search"), o);
}

struct Lying {
    drawing::Laying laying;
    double share = 0; // of the drawn edges, away from corners
    std::size_t points = 0, stray = 0;
    std::vector<drawing::Pairing> pairs;
};

EdgeSearch edgeSearch(const P& p, double reachPx)
{
    EdgeSearch s;
    s.dark = p.material == Objects::Dark;
    s.reach = reachPx;
    s.leastStrength = p.leastContrast;
    return s;
}

std::vector<drawing::Pairing> pairsOf(const std::vector<Outline::Foot>& stations, const DrawnEdges& edges)
{
    std::vector<drawing::Pairing> out;
    for (const DrawnEdge& e : edges.edges)
        out.push_back({stations[e.station].at, stations[e.station].outward, e.found});
    return out;
}

// Every n-th of them.
std::vector<Outline::Foot> thinned(const std::vector<Outline::Foot>& stations, std::size_t nth)
{
    std::vector<Outline::Foot> out;
    for (std::size_t i = 0; i < stations.size(); i += nth) out.push_back(stations[i]);
    return out;
}
base::Result<Lying> laidBy(const P& p, const RunInput& in, Laid laid, const std::vector<Outline::Foot>& stations)
{
    const double mm = in.mmPerPixel();
    const double wide = std::max(4.0, p.reach / mm);
    Lying out;
    // A third of the places brings it near; all of them lay it.
    const std::vector<Outline::Foot> few = thinned(stations, stations.size() > 90 ? 3 : 1);
    for (const bool first : {true, false}) {
        const auto& places = first ? few : stations;
        const DrawnEdges edges = edgesAt(in, laid, places, edgeSearch(p, first ? std::max(6.0, wide) : wide));
        out.pairs = pairsOf(places, edges);
        auto fit = drawing::lay(out.pairs, laid, {false, 0.02 * mm, 12});
        if (!fit) return base::passOn(fit.error());
        laid = fit->laid;
        out.laying = std::move(*fit);
        out.points = edges.edges.size();
        // By one measure for every pose, whatever its own spread is.
        const double near = std::max(3 * mm, p.reach);
        const auto seen = std::count_if(out.laying.residuals.begin(), out.laying.residuals.end(),
                                        [&](double r) { return std::abs(r) <= near; });
        out.share = double(seen) / double(places.size());
    }
    out.stray = out.points - std::size_t(out.laying.usedCount);
    return out;
}

// Share of the drawn edges seen at a pose, from few stations.
double glanceAt(const P& p, const RunInput& in, const Laid& laid, const std::vector<Outline::Foot>& few)
{
    const DrawnEdges e = edgesAt(in, laid, few, edgeSearch(p, std::max(4.0, p.reach / in.mmPerPixel())));
    return few.empty() ? 0 : double(e.edges.size()) / double(few.size());
}

// Of the poses in which the drawing looks like itself the one that shows most of it; of equal ones the least turned.
base::Result<Lying> bestLying(const P& p, const RunInput& in, const Model& model, const Laid& start,
                              const std::vector<Outline::Foot>& stations, std::string& note, bool& wrongSide)
{
    auto best = laidBy(p, in, start, stations);
    if (!best) return best;
    const std::vector<Outline::Foot> few = thinned(stations, 3);
    const Laid first = best->laying.laid;
    const double clear = std::max(0.012, 6.0 / double(stations.size()));
    std::vector<Laid> equal;
    double bestMirrored = 0;
    for (const drawing::Likeness& l : model.likenesses) {
        const Laid there = drawing::alike(first, l);
        if (glanceAt(p, in, there, few) < best->share - 0.1) continue;
        auto other = laidBy(p, in, there, stations);
        if (!other) continue;
        if (l.mirrored) {
            bestMirrored = std::max(bestMirrored, other->share);
            continue;
        }
        if (other->share > best->share + clear) {
            best = std::move(other);
            equal.clear();
        } else if (other->share > best->share - clear && l.share > 0.985) {
            equal.push_back(other->laying.laid);
        }
    }
    wrongSide = bestMirrored > best->share + clear;
    if (!equal.empty()) {
        const double level = in.motion.turn();
        const auto turnOf = [&](const Laid& l) { return std::abs(geometry::wrapped(l.pose.angle - level)); };
        for (const Laid& laid : equal)
            if (turnOf(laid) < turnOf(best->laying.laid) - 1e-3)
                if (auto other = laidBy(p, in, laid, stations)) best = std::move(other);
        note =
            "the drawing looks alike at " + std::to_string(equal.size() + 1) + " angles; taken is the one turned least";
    } else if (model.round) {
        note = "the drawing is round: its turn cannot be told";
    }
    return best;
}

// ---- datums chosen on the drawing
struct Measured {
    geometry::Circle circle;
    geometry::Segment line;
    bool round = false;
};
base::Result<Measured> measuredElement(const P& p, const RunInput& in, const Laid& laid, int number, const char* label)
{
    const auto& elements = in.drawing->elements();
    if (number < 1 || std::size_t(number) > elements.size())
        return base::fail(ErrorCode::NotFound, std::string(label) + " = " + std::to_string(number) +
                                                   " is no element of the drawing; it has 1 to " +
                                                   std::to_string(elements.size()));
    const int loop = in.drawing->loopOf(number - 1);
    const drawing::Element& e = elements[std::size_t(number - 1)];
    const std::string words = elementWords(e);
    if (loop < 0)
        return base::fail(ErrorCode::NotFound, std::string(label) + ": " + words + " is part of no closed outline");
    // All arcs of one circle count, however it was drawn.
    std::vector<Outline::Foot> own;
    for (const auto& s :
         in.drawing->stations(std::max(in.mmPerPixel() * 1.5, in.drawing->loops()[std::size_t(loop)].length / 4000))) {
        if (s.loop != loop || s.cornerGap < 4 * in.mmPerPixel()) continue;
        const drawing::Element& x = elements[std::size_t(s.element)];
        const bool same = s.element == number - 1 || (e.arc && x.arc && geometry::distance(x.centre, e.centre) < 1e-3 &&
                                                      std::abs(x.radius - e.radius) < 1e-3);
        if (same) own.push_back(s);
    }
    const DrawnEdges edges = edgesAt(in, laid, own, edgeSearch(p, std::max(6.0, p.reach / in.mmPerPixel())));
    std::vector<Point> points;
    for (const DrawnEdge& x : edges.edges) points.push_back(x.found);
    Measured out;
    out.round = e.arc;
    if (e.arc) {
        auto fit = geometry::fitCircle(points, 0.5);
        if (!fit) return base::fail(ErrorCode::NoResult, std::string(label) + ": " + words + " is not seen");
        out.circle = fit->shape;
    } else {
        auto fit = geometry::fitLine(points, 0.5);
        if (!fit) return base::fail(ErrorCode::NoResult, std::string(label) + ": " + words + " is not seen");
        out.line = fit->shape;
    }
    return out;
}
base::Result<Laid> byDatums(const P& p, const RunInput& in, const Laid& all)
{
    if (p.by == LaidBy::AllEdges) return all;
    const auto& elements = in.drawing->elements();
    auto first = measuredElement(p, in, all, p.first, "first datum");
    if (!first) return base::passOn(first.error());
    auto second = measuredElement(p, in, all, p.second, "second datum");
    if (!second) return base::passOn(second.error());
    const drawing::Element &a = elements[std::size_t(p.first - 1)], &b = elements[std::size_t(p.second - 1)];
    Laid out = all;
    // Laid anew so that a drawn place and a drawn direction come to lie on the measured ones.
    const auto onto = [&](Point drawnPlace, double drawnAngle, Point place, double angle) {
        out.pose.angle = angle - drawnAngle;
        out.pose.origin = {0, 0};
        out.pose.origin = place - out.toPicture(drawnPlace);
    };
    if (p.by == LaidBy::TwoHoles) {
        if (!first->round || !second->round)
            return base::fail(ErrorCode::InvalidArgument, "two holes: both datums must be circles of the drawing");
        const Point d = b.centre - a.centre, m = second->circle.centre - first->circle.centre;
        if (geometry::length(d) < 1e-6)
            return base::fail(ErrorCode::InvalidArgument, "two holes: both datums have one centre");
        onto(a.centre, geometry::angleOf(d), first->circle.centre, geometry::angleOf(m));
        return out;
    }
    if (first->round) return base::fail(ErrorCode::InvalidArgument, "edge and point: the first datum must be a line");
    const Point along = geometry::unit(a.to - a.from);
    Point way = first->line.along();
    if (geometry::dot(way, all.toPicture(a.to) - all.toPicture(a.from)) < 0) way = way * -1;
    // The edge gives direction and height, the point where along it.
    const Point drawnPoint = second->round ? b.centre : (b.from + b.to) * 0.5;
    Point drawnFoot = a.from + along * geometry::dot(drawnPoint - a.from, along);
    Point foot = second->round ? geometry::foot(first->line, second->circle.centre) : Point{};
    if (!second->round) {
        const geometry::Segment drawnA{a.from, a.to}, drawnB{b.from, b.to};
        if (!geometry::crossing(drawnA, drawnB, drawnFoot) || !geometry::crossing(first->line, second->line, foot))
            return base::fail(ErrorCode::InvalidArgument, "edge and point: both datums are parallel lines");
    }
    onto(drawnFoot, geometry::angleOf(along), foot, geometry::angleOf(way));
    return out;
}

// ---- why nothing was found
std::string guess(const P& p, const RunInput& in, const Model& model)
{
    vision::PatternOptions o = options(p);
    const auto mirrored = search(in, model.mirrored, o);
    if (!mirrored.empty())
        return "; wrong side up: mirrored it lies at " + base::toText(in.picture(mirrored.front().pose.origin).x, 0) +
               ", " + base::toText(in.picture(mirrored.front().pose.origin).y, 0) + " px with score " +
               base::toText(mirrored.front().score, 2);
    SelectionSettings s;
    s.objects = p.material;
    RunInput plain = in;
    plain.taught = nullptr; // what this step was taught is no threshold
    const auto where = selectionSpans(plain);
    const auto taken = select(s, plain, where);
    if (!taken || taken->nothing) return "; nothing but one grey level is seen";
    vision::BlobOptions b;
    b.low = taken->low;
    b.high = taken->high;
    b.leastArea = 100;
    const auto list = vision::findBlobs(taken->view, where, b);
    if (list.blobs.empty()) return "; nothing of this material is seen";
    std::size_t best = 0;
    for (std::size_t i = 1; i < list.blobs.size(); ++i)
        if (list.blobs[i].area > list.blobs[best].area) best = i;
    std::vector<Point> seen = vision::outlines(list, int(best)).front(), drawn;
    for (Point& q : seen) q = in.level(q);
    for (std::size_t l = 0; l < in.drawing->loops().size(); ++l)
        if (!in.drawing->loops()[l].hole)
            for (const Point q : in.drawing->polygon(int(l), 0.1)) drawn.push_back(q);
    const auto a = geometry::smallestBox(seen), d = geometry::smallestBox(drawn);
    const double mm = in.mmPerPixel(), ratio = a.length * mm / d.length;
    const std::string sizes = "the largest thing seen is " + base::toText(a.length * mm, 2) + " × " +
                              base::toText(a.width * mm, 2) + " mm, drawn are " + base::toText(d.length, 2) + " × " +
                              base::toText(d.width, 2) + " mm";
    for (const auto& [factor, words] : {std::pair{25.4, "is the drawing in inch?"},
                                        {1 / 25.4, "is the drawing in mm, not in inch?"},
                                        {10.0, "is the drawing in cm?"},
                                        {0.1, "is the drawing in mm, not in cm?"},
                                        {1000.0, "is the drawing in m?"}})
        if (std::abs(ratio / factor - 1) < 0.05 && std::abs(a.width * mm / d.width / factor - 1) < 0.08)
            return "; " + sizes + ": " + words;
    if (std::abs(ratio - 1) > 0.005 && std::abs(ratio - 1) < 0.08 && std::abs(a.width * mm / d.width - ratio) < 0.03)
        return "; " + sizes + ": " + base::toText(100 * (ratio - 1), 1) +
               " % off: is the calibration right, and the thickness of the part stated?";
    return "; " + sizes;
}

struct One {
    Lying lying;
    Laid laid;
    bool wanted = true;
    std::map<std::string, double> values{};
    std::string note{};
};
// The parts of one picture.
class Parts
{
public:
    Parts(const P& p, const RunInput& in, const Model& model, const std::vector<Outline::Foot>& stations)
        : m_p(p), m_in(in), m_model(model), m_stations(stations), m_mm(in.mmPerPixel())
    {
    }
    // Finds, the best first; why nothing came of them stands in wrong().
    void lay(const std::vector<vision::PatternFind>& finds)
    {
        for (const auto& f : finds) {
            if (m_all.size() >= 500) break;
            if (!onWholeOne(f.pose)) lay(f);
        }
        // A drawing that looks like itself shifted is found more than once on one part: what shows most of it stays.
        std::stable_sort(m_all.begin(), m_all.end(),
                         [](const One& a, const One& b) { return a.lying.share > b.lying.share; });
        for (std::size_t i = 0; i < m_all.size(); ++i)
            for (std::size_t k = m_all.size(); k-- > i + 1;)
                if (on(m_all[i], m_all[k].laid.pose)) m_all.erase(m_all.begin() + std::ptrdiff_t(k));
    }
    std::vector<One>& all() { return m_all; }
    const std::string& wrong() const { return m_wrong; }
    // A part that lies wrong side up is one to be rejected, not overlooked.
    std::vector<Find> turnedOver() const
    {
        std::vector<Find> out;
        for (const Pose& pose : m_wrongSides)
            if (std::none_of(m_all.begin(), m_all.end(), [&](const One& o) { return on(o, pose); }) &&
                std::none_of(out.begin(), out.end(),
                             [&](const Find& f) { return vision::overlap(m_model.pattern, f.pose, 1, pose, 1) > 0.3; }))
                out.push_back({pose, 0, 1, {}, "wrong side up: it fits the mirrored drawing better", true});
        return out;
    }
    // The wanted ones first, each kind row by row, as patterns are numbered.
    void inOrder(std::size_t wanted)
    {
        const auto middle = [&](const One& o) { return o.laid.toPicture(m_in.drawing->centre()); };
        std::vector<One> beyond;
        while (m_all.size() > wanted) {
            m_all.back().wanted = false;
            beyond.push_back(std::move(m_all.back()));
            m_all.pop_back();
        }
        inRows(m_all, m_model.pattern.radius, middle);
        inRows(beyond, m_model.pattern.radius, middle);
        for (One& o : beyond) m_all.push_back(std::move(o));
    }
    void value(One& o) const
    {
        const Laid& best = o.lying.laying.laid;
        const auto scaled = drawing::lay(o.lying.pairs, best, {true, 0.02 * m_mm, 12});
        const double scale = scaled ? scaled->laid.pxPerMm * m_mm : 1;
        if (scaled && std::abs(scale - 1) > 0.0015 && !m_model.round &&
            std::abs(scale - 1) * m_in.drawing->size() / 2 > 3 * scaled->rms && scaled->rms < 0.7 * o.lying.laying.rms)
            o.note += std::string(o.note.empty() ? "" : "; ") + "the part looks " +
                      base::toText(100 * std::abs(scale - 1), 2) + " % " + (scale > 1 ? "larger" : "smaller") +
                      " than drawn all over: is its thickness stated in the calibration?";
        o.values = {{"rms", o.lying.laying.rms / m_mm},
                    {"share", 100 * std::min(1.0, o.lying.share)},
                    {"scale", scale},
                    {"points", double(o.lying.points)},
                    {"stray", double(o.lying.stray)}};
    }

private:
    bool on(const One& o, const Pose& pose) const
    {
        return vision::overlap(m_model.pattern, o.laid.pose, 1, pose, 1) > 0.3;
    }
    // Of a part all of whose edges are seen nothing else is to be found.
    bool onWholeOne(const Pose& pose) const
    {
        return std::any_of(m_all.begin(), m_all.end(),
                           [&](const One& o) { return o.lying.share >= 0.97 && on(o, pose); });
    }
    void lay(const vision::PatternFind& f)
    {
        std::string note;
        bool wrongSide = false;
        auto lying = bestLying(m_p, m_in, m_model, {f.pose, 1 / m_mm, false}, m_stations, note, wrongSide);
        if (!lying || lying->share < 0.5 * m_p.leastScore) {
            if (m_wrong.empty()) m_wrong = lying ? "its edges are not where they are drawn" : lying.error().text();
            return;
        }
        if (wrongSide || (lying->share < 0.9 && betterMirrored(lying->laying.laid, f.score))) {
            const Point at = m_in.picture(lying->laying.laid.toPicture(m_in.drawing->centre()));
            m_wrongSides.push_back(lying->laying.laid.pose);
            m_wrong = "wrong side up: the part at " + base::toText(at.x, 0) + ", " + base::toText(at.y, 0) +
                      " px fits the mirrored drawing better";
            return;
        }
        auto laid = byDatums(m_p, m_in, lying->laying.laid);
        if (!laid) m_wrong = laid.error().text();
        else m_all.push_back({std::move(*lying), *laid, true, {}, note});
    }
    // Where much of the drawing is not seen the other side is looked at as well.
    bool betterMirrored(const Laid& laid, double score)
    {
        if (!m_mirrored) m_mirrored = search(m_in, m_model.mirrored, options(m_p));
        const Point here = laid.toPicture(m_in.drawing->centre());
        return std::any_of(m_mirrored->begin(), m_mirrored->end(), [&](const vision::PatternFind& m) {
            const Point there = Laid{m.pose, 1 / m_mm, true}.toPicture(m_in.drawing->centre());
            return m.score > score + 0.05 && geometry::distance(here, there) < 0.7 * m_model.pattern.radius;
        });
    }

    const P& m_p;
    const RunInput& m_in;
    const Model& m_model;
    const std::vector<Outline::Foot>& m_stations;
    const double m_mm;
    std::vector<One> m_all;
    std::vector<Pose> m_wrongSides;
    std::optional<std::vector<vision::PatternFind>> m_mirrored; // searched when it is needed
    std::string m_wrong;
};

RunOutput outputOf(const P& p, const RunInput& in, const std::vector<One>& all)
{
    RunOutput out;
    const One& lead = all.front();
    out.values["x"] = {lead.laid.pose.origin.x};
    out.values["y"] = {lead.laid.pose.origin.y};
    out.values["angle"] = {geometry::degrees(geometry::wrapped(lead.laid.pose.angle))};
    for (const auto& [key, value] : lead.values) out.values[key] = {value};
    out.values["finds"] = {double(all.size())};
    const bool several = all.size() > 1 || p.expected > 1;
    if (!several && !lead.note.empty()) out.note = lead.note;
    int number = 0;
    for (const One& o : all) {
        Find find{o.laid.pose, std::min(1.0, o.lying.share), 1, o.values, {}};
        if (several) find.note = o.note;
        (o.wanted ? out.finds : out.surplus).push_back(std::move(find));
        ++number;
        for (Mark& m : drawnMarks(*in.drawing, o.laid)) {
            m.element = number;
            out.marks.push_back(std::move(m));
        }
    }
    out.features["origin"] = lead.laid.pose.origin;
    if (p.expected > 0 && int(out.finds.size()) < p.expected)
        out.note += std::string(out.note.empty() ? "" : "; ") + std::to_string(out.finds.size()) + " of " +
                    std::to_string(p.expected) + " parts found";
    return out;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    if (!in.taught) return base::fail(ErrorCode::NotFound, "not taught: the recipe has no drawing");
    const Model& model = std::any_cast<const Model&>(*in.taught);
    const auto stations = openStations(*in.drawing, 4 * in.mmPerPixel(), kStations);
    if (stations.size() < 6)
        return base::fail(ErrorCode::NoResult, "the drawing has no edge longer than 8 px between its corners");
    std::vector<vision::PatternFind> finds = search(in, model.pattern, options(p));
    if (finds.empty()) { // a part that is too large or too small all over is one to be measured
        vision::PatternOptions o = options(p);
        o.scaleFrom = 0.985;
        o.scaleTo = 1.015;
        finds = search(in, model.pattern, o);
    }
    if (finds.empty())
        return base::fail(ErrorCode::Absent, "not found: nothing reaches the least score " +
                                                 base::toText(p.leastScore, 2) + guess(p, in, model));
    Parts parts(p, in, model, stations);
    parts.lay(finds);
    if (parts.all().empty()) return base::fail(ErrorCode::Absent, "not found: " + parts.wrong());
    auto turnedOver = parts.turnedOver();
    parts.inOrder(p.expected > 0 ? std::size_t(p.expected) : p.most > 0 ? std::size_t(p.most) : finds.size());
    for (One& o : parts.all()) parts.value(o);
    RunOutput out = outputOf(p, in, parts.all());
    for (Find& f : turnedOver) out.surplus.push_back(std::move(f));
    return out;
}

// Residuals along the outline: what holds the drawing in its place.
base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const double mm = in.mmPerPixel();
    const auto stations = openStations(*in.drawing, 4 * mm, kStations);
    if (!in.taught) return base::fail(ErrorCode::NotFound, "not taught");
    const Model& model = std::any_cast<const Model&>(*in.taught);
    const auto finds = search(in, model.pattern, options(p));
    if (finds.empty()) return base::fail(ErrorCode::Absent, "not found");
    const Laid start{finds.front().pose, 1 / mm, false};
    std::string note;
    bool wrongSide = false;
    auto lying = bestLying(p, in, model, start, stations, note, wrongSide);
    if (!lying) return base::passOn(lying.error());
    Evidence e;
    e.title = "edges against the drawing, as it is laid";
    e.xLabel = "mm along the outlines";
    e.yLabel = "mm, outward positive";
    Evidence::Curve used{"used", {}, {}, false, false};
    std::vector<double> starts;
    double sum = 0;
    for (const auto& l : in.drawing->loops()) {
        starts.push_back(sum);
        sum += l.length;
    }
    const DrawnEdges edges = edgesAt(in, lying->laying.laid, stations, edgeSearch(p, std::max(4.0, p.reach / mm)));
    int before = -1;
    for (const DrawnEdge& x : edges.edges) {
        const auto& s = stations[x.station];
        const double at = starts[std::size_t(s.loop)] + s.along;
        const double off = geometry::dot(lying->laying.laid.toDrawing(x.found) - s.at, s.outward);
        if (s.loop != before) {
            used.x.push_back(at);
            used.y.push_back(std::nan(""));
        }
        before = s.loop;
        used.x.push_back(at);
        used.y.push_back(off);
    }
    e.curves = {used};
    e.note = std::to_string(edges.edges.size()) + " of " + std::to_string(stations.size()) + " places show an edge";
    e.ownRange = true;
    return e;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Area || !in.drawing || in.onDrawing) return {};
    const Point d = g.to - g.from;
    if (std::abs(d.x) < 12 || std::abs(d.y) < 12) return {};
    if (!in.calibration || !(in.calibration->mmPerPixel() > 0)) return {};
    const geometry::Region frame = geometry::Region::rectangle((g.from + g.to) * 0.5, std::abs(d.x), std::abs(d.y), 0);
    // Which side of the automatic threshold does not reach the frame.
    P p;
    SelectionSettings s;
    const RunInput here = in.looking({{"region", frame}});
    const auto where = geometry::spans(frame, here.grey().width, here.grey().height);
    std::size_t inside[2] = {0, 0};
    for (const Objects side : {Objects::Bright, Objects::Dark}) {
        s.objects = side;
        const auto taken = select(s, here, where);
        if (!taken || taken->nothing) continue;
        vision::BlobOptions o;
        o.low = taken->low;
        o.high = taken->high;
        o.leastArea = 50;
        for (const auto& b : vision::findBlobs(taken->view, where, o).blobs)
            if (!b.touchesBorder)
                inside[side == Objects::Dark] = std::max(inside[side == Objects::Dark], std::size_t(b.area));
    }
    p.material = inside[1] >= inside[0] ? Objects::Dark : Objects::Bright;
    Offer o;
    o.step.params = p;
    o.step.name = "Drawing";
    Check check;
    check.output = "share";
    check.limits.low = 80;
    o.step.checks.push_back(check);
    o.words = "datum by the drawing";
    o.rank = in.hasDatum ? 3 : -3;
    o.chosen = {"material"};
    return {o};
}
} // namespace

StepKind drawing_datum()
{
    return Declare<P>({"drawing_datum", "Drawing datum",
                       "Lays the recipe's drawing on the part, at any place and angle, without teaching."},
                      Question::Where, 1,
                      "the drawn outline searched as a pattern; all edges by robust least squares, point to line (Chen "
                      "and Medioni "
                      "1992); two datum features in the order of ISO 5459")
        .purpose("locate find drawing dxf part datum align nominal geometry")
        .drawn("Ctrl and drag a frame round the part, when the recipe has a drawing")
        .called("Drawing")
        .picture()
        .readsDrawing()
        .isDatum()
        .leavesOut()
        .gives(FeatureType::Point)
        .region({"search",
                 "Search area",
                 "Where the middle of the part may lie; without it the whole picture.",
                 {Shape::Rectangle, Shape::Circle, Shape::Ring, Shape::Polygon},
                 false})
        .expects("expected")
        .param(&P::material,
               {"material", "Material is", "Whether the part is darker or brighter than what lies behind it."},
               {{"bright", "Bright"}, {"dark", "Dark"}}, true)
        .param(&P::by,
               {"by", "Laid by",
                "All edges together, or two datum features of the drawing: two holes, or an edge and a point (a hole, "
                "or where another edge "
                "crosses it)."},
               {{"all_edges", "All edges"}, {"two_holes", "Two holes"}, {"edge_point", "Edge and point"}}, true)
        .param(&P::first, {"first", "First datum", "Number of the element of the drawing that is the first datum."},
               Unit::None, kElementRange)
        .param(&P::second, {"second", "Second datum", "Number of the element of the drawing that is the second datum."},
               Unit::None, kElementRange)
        .readWhen({"first", "second"}, "by", {"two_holes", "edge_point"})
        .param(&P::leastScore,
               {"least_score", "Least score", "Share of the drawn edges that must be seen; lower it for hidden parts."},
               Unit::None, Real{0.2, 1, 0.01, 0.4, 0.95}, true)
        .param(&P::leastContrast,
               {"least_contrast", "Least contrast", "Grey difference an edge of the part must have."}, Unit::GreyLevel,
               Real{2, 200, 1, 4, 80}, true)
        .param(&P::reach,
               {"reach", "Reach",
                "How far an edge may lie from where it is drawn and still count for the laying, mm; never less than 4 "
                "px."},
               Unit::Millimetre, Real{0, 50, 0.05, 0.05, 2})
        .param(&P::most,
               {"finds", "Finds wanted",
                "Largest number of parts in one picture; each one is an item. Parts beyond it are surplus. 0: any."},
               Unit::None, Whole{0, 200}, true)
        .param(&P::expected, {"expected", "Parts expected", "Number of parts that must lie in the picture; 0: any."},
               Unit::None, Whole{0, 200}, true)
        .output({"x", "x", "Place of the drawing's origin in the picture.", Unit::Pixel, false, false, false})
        .output({"y", "y", "Place of the drawing's origin in the picture.", Unit::Pixel, false, false, false})
        .output({"angle", "Angle", "Turn of the drawing, counter-clockwise as seen.", Unit::Degree, false, true, false})
        .output({"share", "Edges found", "Share of the drawn edges that are seen where they are drawn.", Unit::Percent,
                 false, true, true})
        .output({"rms", "Rest", "Root mean square of the distances of the edges from the drawing.", Unit::Pixel})
        .output({"scale", "Scale", "Size of the part against the drawing, 1 when equal.", Unit::None})
        .output({"points", "Edge points", "Number of places where an edge was found.", Unit::None})
        .output({"stray", "Stray points", "Edge points too far off to count for the laying.", Unit::None})
        .output({"finds", "Finds", "Number of parts found, also those beyond the wanted ones.", Unit::None})
        .find("x", "y", "angle")
        .better({"share"}, OutputSpec::Better::More, 0.0, 100.0)
        .better({"rms"}, OutputSpec::Better::Less, 0.0)
        .teaches(teach)
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps
