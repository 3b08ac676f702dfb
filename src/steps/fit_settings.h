// fit_settings.h - what line, circle and ellipse share: many small windows, an edge in each, a robust fit, strays said.
#pragma once
#include "geometry/fit.h"
#include "steps/glue.h"

#include <algorithm>
#include <cmath>

namespace steps
{

struct FitSettings {
    vision::Polarity polarity = vision::Polarity::Any;
    vision::Pick which = vision::Pick::Strongest;
    bool backwards = false;
    int windows = 48;
    double windowWidth = 3;
    double leastStrength = 12;
    double smoothing = 1.5;
    double reach = 0.5;
    double leastShare = 50;
    vision::EdgeOptions edges() const { return {polarity, leastStrength, smoothing}; }
};

inline double offsetOf(const geometry::Segment& s, geometry::Point p) { return geometry::signedDistance(s, p); }
inline double offsetOf(const geometry::Circle& c, geometry::Point p)
{
    return geometry::distance(p, c.centre) - c.radius;
}
inline double offsetOf(const geometry::Ellipse& e, geometry::Point p) { return geometry::offsetFromOutline(e, p); }
// How far a point may lie off when the good part itself spreads so much: two and a half times its spread, half a px at
// least.
inline double reachFor(double spread) { return std::clamp(std::ceil(2.5 * spread / 0.05) * 0.05, 0.5, 10.0); }

template <class Shape> struct FoundShape {
    vision::Probe probe;
    geometry::Fit<Shape> fit;
    std::vector<double> offsets; // of every edge point from the shape, px
    int within(double reach) const
    {
        return int(std::count_if(offsets.begin(), offsets.end(), [&](double d) { return std::abs(d) <= reach; }));
    }
    // Windows whose edge lies within reach of the shape; a wide spread leaves nothing stray, and still is not the edge.
    double share(const FitSettings& s) const { return 100.0 * within(s.reach) / s.windows; }
    double farthest() const
    {
        double most = 0;
        for (std::size_t i = 0; i < offsets.size(); ++i)
            if (fit.used[i]) most = std::max(most, std::abs(offsets[i]));
        return most;
    }
    std::vector<geometry::Point> points() const
    {
        std::vector<geometry::Point> out;
        for (const auto& e : probe.edges) out.push_back(e.point);
        return out;
    }
};
// Radial windows over a ring, or over the sector of an arc.
inline vision::Probe probeRing(const FitSettings& s, const recipe::RunInput& in)
{
    const geometry::Region r = in.region("ring");
    const bool arc = r.shape == geometry::Shape::Arc;
    return vision::probeCircle(in.grey(), r.centre, r.inner, r.outer, s.windows, s.windowWidth, s.backwards, s.edges(),
                               s.which, arc ? r.start : 0, arc ? r.sweep : 2 * geometry::kPi);
}
// Drops edges in areas that are left out and fits the rest; fails with the reason why there is nothing to fit.
template <class Shape, class Fit>
base::Result<FoundShape<Shape>> fitProbe(const FitSettings& s, const recipe::RunInput& in, vision::Probe probe, Fit fit,
                                         const char* what)
{
    FoundShape<Shape> f;
    f.probe.windows = probe.windows, f.probe.outside = probe.outside;
    for (std::size_t i = 0; i < probe.edges.size(); ++i)
        if (!geometry::containsAny(in.leaveOut, probe.edges[i].point)) {
            f.probe.edges.push_back(probe.edges[i]), f.probe.window.push_back(probe.window[i]);
            f.probe.edges.back().point = in.level(probe.edges[i].point);
        }
    if (f.probe.edges.empty())
        return base::fail(base::ErrorCode::NoResult,
                          f.probe.outside == s.windows
                              ? "the region lies outside the picture"
                              : noEdgeText(s.leastStrength) + " in any of " + std::to_string(s.windows) + " windows");
    auto made = fit(f.points(), s.reach);
    if (!made) return base::passOn(made.error());
    f.fit = std::move(*made);
    for (const geometry::Point p : f.points()) f.offsets.push_back(offsetOf(f.fit.shape, p));
    if (f.share(s) < s.leastShare)
        return base::fail(base::ErrorCode::NoResult, std::string("the ") + what + " is seen in " +
                                                         base::toText(f.share(s), 0) + " % of the windows within " +
                                                         base::toText(s.reach, 2) + " px; " +
                                                         base::toText(s.leastShare, 0) + " % are asked");
    return f;
}
// How far the numbers of a fit may lie off: what the noise does to each edge point, through the fit. `row`: how a
// point's offset changes with each number. `apart`: px between neighbouring windows.
template <class Shape, class Row>
recipe::Spreads fitSpreads(const FoundShape<Shape>& f, const FitSettings& s, double noise, double apart, Row row)
{
    std::vector<std::vector<double>> rows;
    std::vector<double> sigma;
    std::vector<int> place;
    for (std::size_t i = 0; i < f.probe.edges.size(); ++i) {
        if (!f.fit.used[i]) continue;
        rows.push_back(row(f.probe.edges[i].point));
        const vision::Edge& e = f.probe.edges[i];
        // Where it is no small part of the edge's own width, a place scatters more than in proportion.
        const double one = e.perNoise * noise, part = std::min(0.4, one / std::hypot(e.blur, s.smoothing));
        sigma.push_back(one * std::sqrt(1 + 4 * part * part));
        place.push_back(f.probe.window[i]);
    }
    // An edge that hardly stands out of the noise says nothing of its own place; the others do.
    if (std::vector<double> sorted = sigma; !sorted.empty()) {
        const auto middle = sorted.begin() + std::ptrdiff_t(sorted.size() / 2);
        std::nth_element(sorted.begin(), middle, sorted.end());
        for (double& s1 : sigma) s1 = std::min(s1, 2 * *middle);
    }
    std::vector<double> shared;
    for (double k = 0; shared.size() < 64; ++k) {
        const double share = k == 0 ? 1 : vision::sharedNoise(s.windowWidth, k * apart);
        if (share < 0.01) break;
        shared.push_back(share);
    }
    recipe::Spreads out;
    for (const auto& number : geometry::fitSpread(rows, sigma, place, shared)) {
        recipe::Spread one = recipe::Spread::none();
        for (std::size_t k = 0; k < number.size(); ++k) one.of.emplace_back(k, number[k]);
        out.push_back(std::move(one));
    }
    return out;
}
template <class Shape> void tell(const FoundShape<Shape>& f, const FitSettings& s, recipe::RunOutput& out)
{
    out.values["share"] = {f.share(s)};
    out.values["residual"] = {f.fit.rms};
    out.values["farthest"] = {f.farthest()};
    std::vector<geometry::Point> used, stray;
    for (std::size_t i = 0; i < f.probe.edges.size(); ++i)
        (f.fit.used[i] ? used : stray).push_back(f.probe.edges[i].point);
    out.marks.push_back(pointsMark(used, recipe::MarkRole::Used));
    if (!stray.empty()) out.marks.push_back(pointsMark(stray, recipe::MarkRole::Stray));
    out.points["all"] = f.points();
}
// Residuals of used and stray points over `station`.
template <class Shape, class Station, class Offset>
recipe::Evidence residuals(const FoundShape<Shape>& f, const FitSettings& s, const char* title, const char* xLabel,
                           Station station, Offset offset)
{
    recipe::Evidence e;
    e.title = title;
    e.xLabel = xLabel, e.yLabel = "px";
    recipe::Evidence::Curve used{"used", {}, {}, false, false}, stray{"stray", {}, {}, false, true};
    for (std::size_t i = 0; i < f.probe.edges.size(); ++i) {
        auto& c = f.fit.used[i] ? used : stray;
        c.x.push_back(station(f.probe.edges[i].point)), c.y.push_back(offset(f.probe.edges[i].point));
    }
    e.curves = {used, stray};
    e.handles.push_back({"reach", "stray beyond", false, s.reach});
    e.note = std::to_string(f.fit.usedCount) + " of " + std::to_string(s.windows) + " windows used, " +
             std::to_string(f.within(s.reach)) + " within reach; residual " + base::toText(f.fit.rms, 3) +
             " px rms, farthest used " + base::toText(f.farthest(), 3) + " px";
    return e;
}

template <class P>
recipe::Declare<P>& declareFit(recipe::Declare<P>& d, const char* backwardsKey, const char* backwardsLabel,
                               const char* backwardsHelp)
{
    using base::Unit;
    using namespace recipe;
    return d.template inherits<FitSettings>()
        .picture()
        .leavesOut()
        .param(static_cast<vision::Polarity P::*>(&FitSettings::polarity),
               {"polarity", "Polarity", "Which way the grey level must change along the search."}, polarityChoices(),
               true)
        .param(&P::backwards, {backwardsKey, backwardsLabel, backwardsHelp}, true)
        .param(static_cast<vision::Pick P::*>(&FitSettings::which),
               {"which", "Which edge", "Which edge of each small window counts."}, pickChoices(), true)
        .param(&P::leastStrength,
               {"least_strength", "Least strength",
                "Edges with a smaller grey difference are ignored; raise it when dirt is found."},
               Unit::GreyLevel, kStrengthRange, true)
        .param(&P::windows, {"windows", "Windows", "Number of small windows; more of them quiet the noise."},
               Unit::None, Whole{2, 2000})
        .param(&P::windowWidth,
               {"window_width", "Window width", "Averaging width of each small window along the edge."}, Unit::Pixel,
               Real{1, 200, 1, 1, 21})
        .param(&P::smoothing,
               {"smoothing", "Smoothing",
                "Width of the Gaussian that quiets the profile; raise it when noise makes false edges."},
               Unit::Pixel, kSmoothingRange)
        .param(&P::reach,
               {"reach", "Stray beyond",
                "Points farther from the fit than this are not seen; those farther than three times the spread too are "
                "dropped as stray."},
               Unit::Pixel, Real{0.05, 50, 0.05, 0.1, 3})
        .param(&P::leastShare,
               {"least_share", "Least share",
                "Share of the windows whose edge must lie within reach of the fit; fewer is 'not measured'."},
               Unit::Percent, Real{5, 100, 5}, true)
        .output({"share", "Share seen", "Windows whose edge lies within reach of the fit.", Unit::Percent, false, true,
                 false})
        .output({"residual", "Residual", "Root mean square distance of the used points from the fit.", Unit::Pixel,
                 false, true, false})
        .output({"farthest", "Largest residual", "Distance of the farthest used point from the fit.", Unit::Pixel,
                 false, true, false})
        .better({"share"}, OutputSpec::Better::More, 0.0, 100.0)
        .better({"residual", "farthest"}, OutputSpec::Better::Less, 0.0)
        .reversedBy(backwardsKey);
}

} // namespace steps
