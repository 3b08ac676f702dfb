#include "steps/ellipse/ellipse.h"

#include <algorithm>

namespace steps
{
using namespace recipe;
using base::Unit;
using geometry::Point;
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
    Mark m{MarkShape::Polygon, MarkRole::Found, {}, 0, {}};
    const Point u = geometry::direction(e.angle) * (e.major / 2), v = geometry::leftOf(geometry::direction(e.angle)) * (e.minor / 2);
    for (int i = 0; i < 96; ++i) m.points.push_back(e.centre + u * std::cos(2 * geometry::kPi * i / 96) + v * std::sin(2 * geometry::kPi * i / 96));
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
        [&](Point q) { return geometry::degrees(geometry::angleOf(q - e.centre)); }, [&](Point q) { return geometry::offsetFrom(e, q); });
}
} // namespace

StepKind ellipse()
{
    Declare<P> d(
        {"ellipse", "Ellipse", "Ellipse through the edge points of radial windows; stray points are dropped."}, Question::What, 1,
        "direct least squares (Fitzgibbon 1999; Halir, Flusser 1998) inside least median of squares (Rousseeuw 1984), then geometric least squares");
    d.purpose("oval round tilted slot axes hole")
        .gives(FeatureType::Ellipse)
        .region(
            {"ring", "Ring", "The edge is searched between the inner and the outer circle, all round or over an arc.", {Shape::Ring, Shape::Arc}});
    return declareFit(d, "inward", "Search inward", "Search from the outer circle to the inner one instead of outward.")
        .output({"x", "Centre x", "Place of the centre in the picture.", Unit::Pixel, false, false})
        .output({"y", "Centre y", "Place of the centre in the picture.", Unit::Pixel, false, false})
        .output({"along_x", "Along datum x", "Place of the centre along the datum's x direction.", Unit::Pixel})
        .output({"along_y", "Along datum y", "Place of the centre along the datum's y direction.", Unit::Pixel})
        .output({"major", "Longer axis", "Full length of the longer axis.", Unit::Pixel})
        .output({"minor", "Shorter axis", "Full length of the shorter axis.", Unit::Pixel})
        .output({"angle", "Angle", "Direction of the longer axis against the datum's x direction, -90 to 90.", Unit::Degree})
        .shows(evidence)
        .runs(run);
}

} // namespace steps
