#include "steps/outline_profile/outline_profile.h"

#include "steps/drawing_glue.h"

#include <algorithm>
#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using drawing::Deviations;
using drawing::Laid;
using drawing::Outline;
using drawing::Stretch;
using geometry::Point;
using geometry::Shape;
using P = OutlineProfileParams;

namespace
{
constexpr std::size_t kMostMarked = 20000; // points of a comb

struct Seen {
    Laid laid;
    Deviations d;
    std::vector<Stretch> beyond;
};

bool counts(const P& p, const Outline& outline, int loop, int element)
{
    switch (p.of) {
    case ProfileOf::Everything: return true;
    case ProfileOf::Outer: return !outline.loops()[std::size_t(loop)].hole;
    case ProfileOf::Holes: return outline.loops()[std::size_t(loop)].hole;
    case ProfileOf::Element: return element == p.element - 1;
    }
    return true;
}

base::Result<Seen> seen(const P& p, const RunInput& in)
{
    auto laid = laidFor(in);
    if (!laid) return base::passOn(laid.error());
    const Outline& outline = *in.drawing;
    if (p.of == ProfileOf::Element &&
        (p.element < 1 || std::size_t(p.element) > outline.elements().size() || outline.loopOf(p.element - 1) < 0))
        return base::fail(base::ErrorCode::NotFound,
                          "element " + std::to_string(p.element) + " is part of no closed outline of the drawing");
    const double mm = in.mmPerPixel();
    RunInput near = in;
    if (in.region("region").shape == Shape::Whole) {
        // Round the laid drawing only: there may be other parts.
        std::vector<Point> corners;
        const drawing::Box& b = outline.box();
        const double more = std::max(2.0, 2 * p.reach) + 6 * mm;
        for (const auto& [x, y] : {std::pair{b.left - more, b.bottom - more},
                                   {b.right + more, b.bottom - more},
                                   {b.right + more, b.top + more},
                                   {b.left - more, b.top + more}})
            corners.push_back(in.picture(laid->toPicture(drawing::sheet({x, y}))));
        near.regions["region"] = geometry::Region::polygon(corners);
    }
    const auto found = outlinesFor(p, near, p.leastArea, p.averaging);
    if (!found) return base::passOn(found.error());
    drawing::DeviationOptions o;
    o.reach = p.reach;
    o.cornerGap = (4 + p.averaging / 2) * mm;
    o.cornerAllowance = 1.5 * mm;
    Seen out{*laid, drawing::deviations(outline, *laid, *found, o), {}};
    if (p.to == ProfileTo::BestFit) {
        // Laid anew by the points that count here alone.
        std::vector<drawing::Pairing> pairs;
        for (const auto& line : out.d.lines)
            for (const auto& q : line)
                if (q.counts && counts(p, outline, q.loop, q.element)) pairs.push_back({q.foot, q.outward, q.found});
        auto fit = drawing::lay(pairs, *laid, {false, 0.02 * mm, 12});
        if (!fit) return base::passOn(fit.error());
        out.laid = fit->laid;
        out.d = drawing::deviations(outline, out.laid, *found, o);
    }
    Deviations& d = out.d;
    d.most = d.least = 0;
    for (auto& line : d.lines)
        for (auto& q : line) {
            q.counts = q.counts && counts(p, outline, q.loop, q.element);
            if (q.counts) d.most = std::max(d.most, q.offset), d.least = std::min(d.least, q.offset);
        }
    const auto away = [&](int loop) {
        return !counts(p, outline, loop, p.element - 1) ||
               (p.of == ProfileOf::Element && outline.loopOf(p.element - 1) != loop);
    };
    d.missing.erase(std::remove_if(d.missing.begin(), d.missing.end(), away), d.missing.end());
    if (p.of != ProfileOf::Everything && p.of != ProfileOf::Holes) d.surplus.clear();
    out.beyond = drawing::stretchesBeyond(d, p.zone / 2);
    return out;
}

// Pairs of places for the comb, in picture order; what counts not is left out.
std::vector<Mark> combs(const P& p, const Seen& s)
{
    std::vector<Mark> out;
    std::size_t all = 0;
    for (const auto& line : s.d.lines) all += line.size();
    const std::size_t step = std::max<std::size_t>(1, all / kMostMarked);
    for (const auto& line : s.d.lines) {
        Mark m{MarkShape::Deviation, MarkRole::Found, {}, 0, {}};
        m.tolerance = p.zone / 2;
        for (std::size_t i = 0; i < line.size(); i += step) {
            const auto& q = line[i];
            const bool apart = !m.points.empty() && i > 0 &&
                               geometry::distance(line[i].found, m.points.back()) > 20 + 3 * double(step);
            if ((!q.counts || apart) && m.offsets.size() > 1) {
                out.push_back(m);
                m.points.clear();
                m.offsets.clear();
            }
            if (!q.counts) continue;
            m.points.push_back(s.laid.toPicture(q.foot));
            // Where the edge is, what blur did on bends undone.
            const Point edge = s.laid.toPicture(q.foot + q.outward * q.offset);
            m.points.push_back(geometry::distance(edge, q.found) < 0.5 ? edge : q.found);
            m.offsets.push_back(q.offset);
        }
        if (m.offsets.size() > 1) out.push_back(std::move(m));
    }
    return out;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    auto s = seen(p, in);
    if (!s) return base::passOn(s.error());
    const Outline& outline = *in.drawing;
    const double px = s->laid.pxPerMm;
    std::size_t points = 0;
    for (const auto& line : s->d.lines)
        points += std::size_t(std::count_if(line.begin(), line.end(), [](const auto& q) { return q.counts; }));
    const auto own = [&](std::size_t l) {
        return p.of == ProfileOf::Element ? outline.loopOf(p.element - 1) == int(l) : counts(p, outline, int(l), -1);
    };
    double covered = 0, length = 0;
    for (std::size_t l = 0; l < outline.loops().size(); ++l) {
        if (!own(l)) continue;
        covered += s->d.covered[l] * outline.loops()[l].length;
        length += outline.loops()[l].length;
    }
    if (points < 8)
        return base::fail(base::ErrorCode::Absent, "nothing of the drawn outline is seen within the reach of " +
                                                       base::toText(p.reach, 2) + " mm");
    // What was not seen is not good: cut off by the picture's border, lost in glare, left out.
    for (std::size_t l = 0; l < outline.loops().size(); ++l) {
        const bool missing = std::find(s->d.missing.begin(), s->d.missing.end(), int(l)) != s->d.missing.end();
        if (own(l) && !missing && 100 * s->d.seen[l] < p.leastSeen)
            return base::fail(base::ErrorCode::NoResult,
                              "only " + base::toText(100 * s->d.seen[l], 0) + " % of " + loopWords(outline, int(l)) +
                                  " are seen; least_seen asks for " + base::toText(p.leastSeen, 0));
    }
    RunOutput out;
    out.values["profile"] = {s->d.zone() * px};
    out.values["most"] = {s->d.most * px};
    out.values["least"] = {s->d.least * px};
    out.values["beyond"] = {double(s->beyond.size())};
    double beyond = 0;
    for (const Stretch& b : s->beyond) beyond += b.length;
    out.values["beyond_length"] = {beyond * px};
    out.values["missing"] = {double(s->d.missing.size())};
    out.values["surplus"] = {double(s->d.surplus.size())};
    out.values["covered"] = {length > 0 ? 100 * covered / length : 0};
    // Stretches beyond the zone, worst first.
    auto &worst = out.values["worst"], &lengths = out.values["lengths"];
    auto& names = out.elementNames[""];
    auto& places = out.points["elements"];
    int number = 0;
    for (const Stretch& b : s->beyond) {
        ++number;
        if (number > 1000) {
            ++out.unlisted;
            continue;
        }
        worst.push_back(b.worst * px);
        lengths.push_back(b.length * px);
        const auto at = drawing::drawn(b.foot);
        names.push_back(base::toText(at.x, 1) + ", " + base::toText(at.y, 1));
        places.push_back(b.at);
    }
    for (const int l : s->d.missing) {
        const drawing::Loop& loop = outline.loops()[std::size_t(l)];
        out.values["missing_sizes"].push_back(
            px * (loop.round ? 2 * loop.round->radius : std::max(loop.box.width(), loop.box.height())));
        out.elementNames["missing_sizes"].push_back(loopWords(outline, l));
    }
    for (const auto& x : s->d.surplus) {
        const auto at = drawing::drawn(x.at);
        out.values["surplus_sizes"].push_back(x.size * px);
        out.elementNames["surplus_sizes"].push_back("at " + base::toText(at.x, 1) + ", " + base::toText(at.y, 1));
    }
    out.values.try_emplace("missing_sizes");
    out.values.try_emplace("surplus_sizes");
    auto comb = combs(p, *s);
    for (Mark& m : comb) out.marks.push_back(std::move(m));
    for (const int l : s->d.missing) {
        Mark m{MarkShape::Polygon, MarkRole::Stray, outline.polygon(l, 0.1 / px), 0,
               loopWords(outline, l) + " missing"};
        for (Point& q : m.points) q = s->laid.toPicture(q);
        out.marks.push_back(std::move(m));
    }
    for (const auto& x : s->d.surplus)
        out.marks.push_back({MarkShape::Circle,
                             MarkRole::Stray,
                             {s->laid.toPicture(x.at)},
                             std::max(4.0, x.size * px / 2),
                             "not drawn"});
    // Said in words: what is missing and what is too much.
    for (std::size_t i = 0; i < s->d.missing.size() && i < 5; ++i)
        out.note += std::string(out.note.empty() ? "" : "; ") + loopWords(outline, s->d.missing[i]) + " is missing";
    for (std::size_t i = 0; i < s->d.surplus.size() && i < 5; ++i) {
        const auto at = drawing::drawn(s->d.surplus[i].at);
        out.note += std::string(out.note.empty() ? "" : "; ") + "not drawn: ⌀" + base::toText(s->d.surplus[i].size, 2) +
                    " at " + base::toText(at.x, 1) + ", " + base::toText(at.y, 1);
    }
    return out;
}

// The deviation along the drawn outline, unrolled.
base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    auto s = seen(p, in);
    if (!s) return base::passOn(s.error());
    const Outline& outline = *in.drawing;
    Evidence e;
    e.title = "deviation along the drawn outlines, unrolled";
    e.xLabel = "mm along, outer outline first";
    e.yLabel = "mm, outward positive";
    std::vector<double> starts;
    double sum = 0;
    for (const auto& l : outline.loops()) {
        starts.push_back(sum);
        sum += l.length;
    }
    std::vector<std::vector<std::pair<double, double>>> byLoop(outline.loops().size());
    for (const auto& line : s->d.lines)
        for (const auto& q : line)
            if (q.counts) byLoop[std::size_t(q.loop)].emplace_back(q.along, q.offset);
    Evidence::Curve curve{"deviation", {}, {}, true, false};
    for (std::size_t l = 0; l < byLoop.size(); ++l) {
        auto& points = byLoop[l];
        std::sort(points.begin(), points.end());
        const double gap = std::max(1.0, 8 / s->laid.pxPerMm);
        double before = -1e300;
        for (const auto& [along, off] : points) {
            if (along - before > gap) {
                curve.x.push_back(starts[l] + along);
                curve.y.push_back(std::nan(""));
            }
            curve.x.push_back(starts[l] + along);
            curve.y.push_back(off);
            before = along;
        }
    }
    e.curves = {curve};
    e.handles.push_back({"zone", "zone", false, p.zone / 2});
    int number = 0;
    for (const Stretch& b : s->beyond) {
        if (++number > 3) break;
        e.stems.push_back({starts[std::size_t(b.loop)] + outline.nearest(b.foot, 1e9)->along, b.worst,
                           std::to_string(number), true, in.picture(b.at)});
    }
    e.ownRange = true;
    e.note = "profile " + base::toText(s->d.zone(), 3) + " mm, zone " + base::toText(p.zone, 3) + " mm; " +
             std::to_string(s->beyond.size()) + " places beyond ±" + base::toText(p.zone / 2, 3);
    return e;
}

base::Result<ObjectTable> tell(const P& p, const RunInput& in)
{
    auto s = seen(p, in);
    if (!s) return base::passOn(s.error());
    ObjectTable table;
    table.columns = {{"worst", "Worst", Unit::Millimetre},
                     {"lengths", "Length", Unit::Millimetre},
                     {"from", "From", Unit::Millimetre},
                     {"to", "To", Unit::Millimetre}};
    int number = 0;
    for (const Stretch& b : s->beyond) {
        ObjectTable::Row row;
        row.at = b.at;
        row.number = ++number;
        row.values = {b.worst, b.length, b.from, b.to};
        table.rows.push_back(std::move(row));
    }
    return table;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Area || !in.onDrawing || !in.drawing) return {};
    const RunInput here = onto(in);
    const auto laid = laidFor(here);
    if (!laid) return {};
    P p;
    p.objects = materialIsDark(here, *laid) ? Objects::Dark : Objects::Bright;
    Offer o;
    o.step.params = p;
    o.step.name = "Outline";
    for (const auto& [key, high] : {std::pair{"profile", p.zone}, {"missing", 0.0}, {"surplus", 0.0}}) {
        Check c;
        c.output = key;
        c.limits.high = high;
        if (high > 0) c.limits.unit = Unit::Millimetre;
        o.step.checks.push_back(c);
    }
    o.words = "outline against the drawing";
    o.rank = 1;
    o.chosen = {"objects"};
    return {o};
}
} // namespace

StepKind outline_profile()
{
    Declare<P> d({"outline_profile", "Outline against drawing",
                  "Signed distance of every edge point from the drawing: profile of a line, places beyond the zone, "
                  "what is missing and what "
                  "is not drawn."},
                 Question::Same, 1,
                 "ISO 1101 profile of a line: the zone is twice the largest distance (drawing/deviation.h)");
    d.purpose("profile line outline contour deviation drawing dxf compare nominal form burr notch")
        .drawn("Ctrl and drag over the part, when it follows a drawing datum")
        .called("Outline")
        .readsDrawing()
        .region({"region",
                 "Region",
                 "Where outlines are looked at; without it all round the drawing.",
                 {Shape::Rectangle, Shape::Circle, Shape::Polygon},
                 false});
    return declareSelection(d)
        .param(
            &P::of, {"of", "Of", "Which outlines count."},
            {{"everything", "Everything"}, {"outer", "Outer outline"}, {"holes", "Holes"}, {"element", "One element"}},
            true)
        .param(&P::element, {"element", "Element", "Number of the element of the drawing that counts."}, Unit::None,
               kElementRange)
        .readWhen({"element"}, "of", {"element"})
        .param(&P::to,
               {"to", "Measured to",
                "The datum as it is, or the drawing laid anew by these edges alone: form without place."},
               {{"datum", "The datum"}, {"best_fit", "Best fit"}}, true)
        .param(&P::zone,
               {"zone", "Zone",
                "Width of the tolerance zone; places farther than half of it from the drawing are listed."},
               Unit::Millimetre, Real{0, 100, 0.01, 0.01, 5}, true)
        .param(&P::reach,
               {"reach", "Reach",
                "Farther than this from the drawing an edge is no edge of it: a hole is missing, another one is not "
                "drawn."},
               Unit::Millimetre, Real{0.001, 100, 0.05, 0.05, 5})
        .param(&P::leastArea, {"least_area", "Least size", "Smaller areas and holes are specks."}, Unit::SquarePixel,
               Real{4, 1e9, 10, 10, 100000})
        .param(&P::averaging,
               {"averaging", "Averaged over",
                "Width along the edge over which each of its points is averaged; turned up it quiets, and rounds small "
                "faults."},
               Unit::Pixel, Real{1, 51, 1, 1, 15})
        .param(&P::leastSeen,
               {"least_seen", "Least share seen",
                "With less of a drawn outline seen nothing is measured: what is hidden or cut off is not good."},
               Unit::Percent, Real{1, 100, 1, 50, 98})
        .output({"profile", "Profile", "Twice the largest distance from the drawing.", Unit::Pixel, false, true, true})
        .output({"most", "Most too much", "Largest distance outward.", Unit::Pixel})
        .output({"least", "Most too little", "Largest distance inward, negative.", Unit::Pixel})
        .output({"beyond", "Places beyond", "Number of stretches farther off than half the zone.", Unit::None})
        .output({"beyond_length", "Length beyond", "Length of these stretches.", Unit::Pixel})
        .output({"missing", "Drawn, not found", "Outlines of the drawing that are not there.", Unit::None})
        .output({"surplus", "Found, not drawn", "Outlines inside of the part that are not drawn.", Unit::None})
        .output({"covered", "Covered", "Share of the drawn outlines along which an edge was found.", Unit::Percent})
        .output({"worst", "Worst", "Largest distance of each stretch beyond the zone, worst first.", Unit::Pixel, true})
        .output({"lengths", "Lengths", "Length of each stretch beyond the zone.", Unit::Pixel, true})
        .output({"missing_sizes", "Sizes not found",
                 "Diameter, or longer side, of each drawn outline that is not there.", Unit::Pixel, true})
        .output({"surplus_sizes", "Sizes not drawn",
                 "Diameter of a circle of the area of each outline that is not drawn.", Unit::Pixel, true})
        .better({"profile", "beyond", "beyond_length", "missing", "surplus"}, OutputSpec::Better::Less, 0.0)
        .better({"covered"}, OutputSpec::Better::More, 0.0, 100.0)
        .stated({"profile"}, OutputSpec::Drawn::ToleranceTo)
        .madeByArea()
        .shows(evidence)
        .tells(tell)
        .offers(offer)
        .runs(run);
}

} // namespace steps
