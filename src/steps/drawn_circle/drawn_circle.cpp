#include "steps/drawn_circle/drawn_circle.h"

#include "geometry/zones.h"

#include <algorithm>
#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using P = DrawnCircleParams;

namespace
{
base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto m = measureElement(p, in, true);
    if (!m) return base::passOn(m.error());
    const auto fit = geometry::fitCircle(m->points, 0.25);
    if (!fit) return base::passOn(fit.error());
    geometry::Circle c = fit->shape;
    const Point drawnCentre = m->laid.toPicture(m->element.centre);
    const double px = m->laid.pxPerMm;
    // A flat piece of an arc fits circles of any size.
    if (c.radius > 3 * m->element.radius * px + 20 ||
        geometry::distance(c.centre, drawnCentre) > 2 * m->element.radius * px + 20)
        return base::fail(base::ErrorCode::NoResult,
                          "what is seen of " + elementWords(m->element) + " is no arc of its size");
    if (!m->element.whole()) geometry::arcOf(c, m->points, c.start, c.sweep);
    RunOutput out;
    out.values["diameter"] = {2 * c.radius};
    out.values["radius"] = {c.radius};
    out.values["x"] = {c.centre.x};
    out.values["y"] = {c.centre.y};
    const Point local = in.frame.toLocal(c.centre);
    out.values["along_x"] = {local.x};
    out.values["along_y"] = {-local.y};
    const double off = geometry::distance(c.centre, drawnCentre);
    out.values["position"] = {2 * off};
    const auto ring = geometry::roundness(m->points);
    out.values["roundness"] = {ring.width};
    out.values["size_off"] = {2 * (c.radius - m->element.radius * px)};
    out.values["seen"] = {100 * double(m->points.size()) / double(std::max<std::size_t>(1, m->asked))};
    out.features["circle"] = c;
    out.points["all"] = m->points;
    out.marks.push_back(roundMark(c));
    if (off > 0.5) out.marks.push_back(lineMark(drawnCentre, c.centre));
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
    if (!e.arc) return {};
    std::vector<Offer> out;
    const bool round = in.drawing->loops()[std::size_t(in.drawing->loopOf(*number - 1))].round.has_value();
    struct Reading {
        const char *output, *words;
        double nominal;
    };
    const auto rounded = [](double v) { return std::round(v * 1e4) / 1e4; };
    std::vector<Reading> readings;
    if (round)
        readings = {{"diameter", "⌀", rounded(2 * e.radius)},
                    {"position", "place", 0},
                    {"radius", "R", rounded(e.radius)},
                    {"roundness", "roundness", 0}};
    else
        readings = {{"radius", "R", rounded(e.radius)},
                    {"diameter", "⌀", rounded(2 * e.radius)},
                    {"position", "place of the centre", 0}};
    int rank = 0;
    for (const Reading& r : readings) {
        Offer o;
        P p;
        p.element = *number;
        o.step.params = p;
        o.step.name = round && in.drawing->loops()[std::size_t(in.drawing->loopOf(*number - 1))].hole ? "Hole"
                      : round                                                                         ? "Circle"
                                                                                                      : "Radius";
        Check c;
        c.output = r.output;
        if (r.nominal > 0) {
            c.limits.nominal = r.nominal;
            c.limits.unit = Unit::Millimetre;
            c.limits.general = std::string(r.output) == "radius" ? General::Radius : General::Length;
        }
        o.step.checks.push_back(c);
        o.words = std::string(r.words) +
                  (r.nominal > 0 ? " " + base::toText(r.nominal, 2) + " drawn" : " against the drawing");
        o.rank = -4 + rank++;
        o.chosen = {"element"};
        out.push_back(std::move(o));
    }
    return out;
}
} // namespace

StepKind drawn_circle()
{
    Declare<P> d(
        {"drawn_circle", "Drawn circle",
         "A circle or arc of the drawing, measured where the drawing says its edge is: size, place, roundness."},
        Question::HowBig, 1,
        "least squares circle (geometry/fit.h); position ISO 1101, roundness ISO 12181-1 (minimum zone)");
    d.purpose("hole diameter radius position place bore drawing dxf dimension nominal circle arc")
        .drawn("click a circle or arc of the drawing, when it follows a drawing datum")
        .gives(FeatureType::Circle);
    return declareDrawn(d)
        .output({"diameter", "Diameter", "Of the fitted circle.", Unit::Pixel, false, true, true})
        .output({"radius", "Radius", "Of the fitted circle.", Unit::Pixel})
        .output({"x", "x", "Centre in the picture.", Unit::Pixel, false, false})
        .output({"y", "y", "Centre in the picture.", Unit::Pixel, false, false})
        .place("x", "y")
        .output({"along_x", "Drawing x", "Centre in the drawing's own coordinates.", Unit::Pixel})
        .output({"along_y", "Drawing y", "Centre in the drawing's own coordinates, upward.", Unit::Pixel})
        .output({"position", "Position", "Diameter of the zone about the drawn centre that holds the measured one.",
                 Unit::Pixel})
        .output({"roundness", "Roundness", "Width of the smallest ring that holds all its edge points.", Unit::Pixel})
        .output({"size_off", "Larger than drawn", "Measured less drawn diameter.", Unit::Pixel})
        .output({"seen", "Seen", "Share of the places at which an edge was found.", Unit::Percent})
        .better({"position", "roundness"}, OutputSpec::Better::Less, 0.0)
        .better({"seen"}, OutputSpec::Better::More, 0.0, 100.0)
        .stated({"diameter"}, OutputSpec::Drawn::Diameter)
        .stated({"radius"}, OutputSpec::Drawn::Radius)
        .stated({"roundness"}, OutputSpec::Drawn::Tolerance)
        .stated({"position"}, OutputSpec::Drawn::ToleranceTo)
        .offers(offer)
        .runs(run);
}

} // namespace steps
