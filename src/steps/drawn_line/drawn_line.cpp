#include "steps/drawn_line/drawn_line.h"

#include "geometry/zones.h"

#include <algorithm>
#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using P = DrawnLineParams;

namespace
{
base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto m = measureElement(p, in, false);
    if (!m) return base::passOn(m.error());
    const auto fit = geometry::fitLine(m->points, 0.25);
    if (!fit) return base::passOn(fit.error());
    const drawing::Laid& laid = m->laid;
    const Point from = laid.toPicture(m->element.from), to = laid.toPicture(m->element.to);
    geometry::Segment s = fit->shape;
    if (geometry::dot(s.to - s.from, to - from) < 0) std::swap(s.from, s.to);
    // As long as it is drawn.
    const geometry::Segment whole{geometry::foot(s, from), geometry::foot(s, to)};
    RunOutput out;
    double sum = 0;
    for (const Point q : m->points) {
        const auto f = in.drawing->nearest(laid.toDrawing(q), 1e9);
        sum += f ? f->offset : 0;
    }
    const double turn = geometry::wrapped(geometry::angleOf(whole.along()) - geometry::angleOf(to - from));
    out.values["offset"] = {sum / double(m->points.size()) * laid.pxPerMm};
    out.values["turn"] = {geometry::degrees(turn)};
    out.values["straightness"] = {geometry::straightness(m->points).width};
    out.values["length"] = {whole.length()};
    out.values["seen"] = {100 * double(m->points.size()) / double(std::max<std::size_t>(1, m->asked))};
    out.features["line"] = whole;
    out.points["all"] = m->points;
    out.marks.push_back(lineMark(whole.from, whole.to));
    return out;
}

std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Click || !in.onDrawing || !in.drawing) return {};
    const RunInput here = onto(in);
    const auto laid = laidFor(here);
    if (!laid) return {};
    const auto number = elementNear(here, *laid, here.level(g.from), 8);
    if (!number) return {};
    const drawing::Element& e = in.drawing->elements()[std::size_t(*number - 1)];
    if (e.arc || e.piece) return {};
    std::vector<Offer> out;
    int rank = 0;
    for (const auto& [output, words] :
         {std::pair{"straightness", "straightness"}, {"offset", "distance from the drawing"}}) {
        Offer o;
        P p;
        p.element = *number;
        o.step.params = p;
        o.step.name = "Edge";
        Check c;
        c.output = output;
        o.step.checks.push_back(c);
        o.words = std::string(words) + " of a drawn edge of " + base::toText(e.length(), 2);
        o.rank = -4 + rank++;
        o.chosen = {"element"};
        out.push_back(std::move(o));
    }
    return out;
}
} // namespace

StepKind drawn_line()
{
    Declare<P> d({"drawn_line", "Drawn line",
                  "A straight edge of the drawing, measured where the drawing says it is: place, turn, straightness; "
                  "other steps measure "
                  "distances and angles from it."},
                 Question::HowBig, 1,
                 "total least squares line (geometry/fit.h); straightness ISO 12780-1 (minimum zone)");
    d.purpose("edge line straightness distance width angle drawing dxf dimension nominal")
        .drawn("click a straight edge of the drawing, when it follows a drawing datum")
        .gives(FeatureType::Line);
    return declareDrawn(d)
        .output({"straightness", "Straightness", "Width of the smallest strip that holds all its edge points.",
                 Unit::Pixel, false, true, true})
        .output({"offset", "Off the drawing",
                 "Mean distance from where it is drawn, positive where there is too much material.", Unit::Pixel})
        .output({"turn", "Turned", "Against the drawn edge, counter-clockwise as seen.", Unit::Degree})
        .output({"length", "Length", "Of the drawn edge.", Unit::Pixel})
        .output({"seen", "Seen", "Share of the places at which an edge was found.", Unit::Percent})
        .better({"straightness"}, OutputSpec::Better::Less, 0.0)
        .better({"seen"}, OutputSpec::Better::More, 0.0, 100.0)
        .stated({"straightness"}, OutputSpec::Drawn::Tolerance)
        .offers(offer)
        .runs(run);
}

} // namespace steps
