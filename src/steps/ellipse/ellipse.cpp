#include "steps/ellipse/ellipse.h"

#include <algorithm>
#include <cmath>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
using geometry::Region;
using geometry::Shape;
using P = EllipseParams;

namespace
{
base::Result<FoundShape<geometry::Ellipse>> find(const P& p, const RunInput& in)
{
    auto f = fitProbe<geometry::Ellipse>(p, in, probeRing(p, in), geometry::fitEllipse, "ellipse");
    if (f) {
        // Blur shifts a curved edge inward; the mean radius stands for the curvature.
        const double shift = vision::curvatureShift(f->probe.edges, (f->fit.shape.major + f->fit.shape.minor) / 4);
        f->fit.shape.major += 2 * shift, f->fit.shape.minor += 2 * shift;
    }
    return f;
}

base::Result<RunOutput> run(const P& p, const RunInput& in)
{
    const auto f = find(p, in);
    if (!f) return base::passOn(f.error());
    RunOutput out;
    const geometry::Ellipse& e = f->fit.shape;
    const Point local = in.frame.toLocal(e.centre);
    out.values["x"] = {e.centre.x}, out.values["y"] = {e.centre.y};
    out.values["along_x"] = {local.x}, out.values["along_y"] = {local.y};
    out.values["major"] = {e.major}, out.values["minor"] = {e.minor};
    out.values["angle"] = {geometry::degrees(geometry::wrapped(2 * (e.angle - in.frame.angle)) / 2)};
    out.features["ellipse"] = e;
    const auto numbers = fitSpreads(
        *f, p, noiseAbout(in, in.region("ring")), geometry::kPi * (e.major + e.minor) / 2 / p.windows, [&](Point q) {
            std::vector<double> row, n = numbersOf(e);
            for (std::size_t k = 0; k < n.size(); ++k) {
                const double by = k == 4 ? 1e-4 : 1e-3;
                std::vector<double> low = n, high = n;
                low[k] -= by, high[k] += by;
                const auto at = [&](const std::vector<double>& m) {
                    return geometry::offsetFrom(std::get<geometry::Ellipse>(withNumbers(Feature(e), m)), q);
                };
                row.push_back((at(high) - at(low)) / (2 * by));
            }
            return row;
        });
    if (numbers.size() == 5) {
        out.featureSpreads["ellipse"] = numbers;
        out.spreads["x"] = {numbers[0]}, out.spreads["y"] = {numbers[1]};
        out.spreads["major"] = {numbers[2]}, out.spreads["minor"] = {numbers[3]};
    }
    Mark m{MarkShape::Polygon, MarkRole::Found, {}, 0, {}};
    const Point u = geometry::direction(e.angle) * (e.major / 2),
                v = geometry::leftOf(geometry::direction(e.angle)) * (e.minor / 2);
    for (int i = 0; i < 96; ++i)
        m.points.push_back(e.centre + u * std::cos(2 * geometry::kPi * i / 96) +
                           v * std::sin(2 * geometry::kPi * i / 96));
    out.marks.push_back(std::move(m));
    tell(*f, p, out);
    return out;
}

base::Result<Evidence> evidence(const P& p, const RunInput& in)
{
    const auto f = find(p, in);
    if (!f) return base::passOn(f.error());
    const geometry::Ellipse& e = f->fit.shape;
    return residuals(
        *f, p, "distance of the edge points from the ellipse", "angle, °",
        [&](Point q) { return geometry::degrees(geometry::angleOf(q - e.centre)); },
        [&](Point q) { return geometry::offsetFrom(e, q); });
}

// The oval thing under a click: rays to the first clear edge, twice, the second time from the centre found.
std::vector<Offer> offer(const Gesture& g, const OfferInput& in)
{
    if (g.type != Gesture::Type::Click) return {};
    const image::GreyView picture = in.grey();
    const double least = std::max(6 * in.noise, 20.0);
    constexpr int rays = 64;
    geometry::Ellipse e{g.from, 0, 0, 0};
    double spread = 0;
    int rising = 0;
    std::vector<double> strengths;
    for (int round = 0; round < 2; ++round) {
        const double far = round == 0 ? std::min(400.0, 0.3 * std::max(picture.width, picture.height)) : 0.7 * e.major;
        std::vector<Point> points;
        rising = 0, strengths.clear();
        for (int i = 0; i < rays; ++i) {
            const auto p = vision::profile(picture, e.centre,
                                           e.centre + geometry::direction(2 * geometry::kPi * i / rays) * far, 1);
            if (!p) continue;
            if (const auto edge =
                    vision::pick(vision::edges(*p, {vision::Polarity::Any, least, 1.5}), vision::Pick::First))
                points.push_back(edge->point), rising += edge->polarity > 0, strengths.push_back(edge->strength);
        }
        const auto fit = geometry::fitEllipse(points, 1.5);
        if (!fit || fit->usedCount < 0.6 * rays || fit->rms > 2 || fit->shape.minor < 8) return {};
        e = fit->shape, spread = fit->rms;
    }
    std::sort(strengths.begin(), strengths.end());
    P p;
    p.polarity = 2 * rising > int(strengths.size()) ? vision::Polarity::DarkToBright : vision::Polarity::BrightToDark;
    p.leastStrength = leastStrengthFor(strengths[strengths.size() / 4], in.noise);
    p.reach = reachFor(spread);
    const double band = std::max(6.0, 0.15 * e.minor / 2);
    Offer o;
    o.step.params = p;
    o.step.regions["ring"] = Region::ring(e.centre, std::max(1.0, e.minor / 2 - band), e.major / 2 + band);
    o.words = "ellipse";
    o.rank = e.major < 1.03 * e.minor ? 6 : 2; // a round thing is rather a circle
    o.chosen = {"polarity", "least_strength", "reach"};
    return {o};
}
} // namespace

StepKind ellipse()
{
    Declare<P> d({"ellipse", "Ellipse", "Ellipse through the edge points of radial windows; stray points are dropped."},
                 Question::What, 1,
                 "direct least squares (Fitzgibbon 1999; Halir, Flusser 1998) inside least median of squares "
                 "(Rousseeuw 1984), then geometric least squares");
    d.purpose("oval round tilted slot axes hole")
        .drawn("click the oval thing")
        .gives(FeatureType::Ellipse)
        .region({"ring",
                 "Ring",
                 "The edge is searched between the inner and the outer circle, all round or over an arc.",
                 {Shape::Ring, Shape::Arc}});
    return declareFit(d, "inward", "Search inward", "Search from the outer circle to the inner one instead of outward.")
        .output({"x", "Centre x", "Place of the centre in the picture.", Unit::Pixel, false, false})
        .output({"y", "Centre y", "Place of the centre in the picture.", Unit::Pixel, false, false})
        .place("x", "y")
        .output({"along_x", "Along datum x", "Place of the centre along the datum's x direction.", Unit::Pixel})
        .output({"along_y", "Along datum y", "Place of the centre along the datum's y direction.", Unit::Pixel})
        .output({"major", "Longer axis", "Full length of the longer axis.", Unit::Pixel})
        .output({"minor", "Shorter axis", "Full length of the shorter axis.", Unit::Pixel})
        .output({"angle", "Angle", "Direction of the longer axis against the datum's x direction, -90 to 90.",
                 Unit::Degree})
        .shows(evidence)
        .offers(offer)
        .runs(run);
}

} // namespace steps
