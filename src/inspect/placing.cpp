#include "inspect/placing.h"

#include <algorithm>
#include <cmath>

namespace inspect
{
using namespace recipe;
using geometry::Motion;
using geometry::Point;
using geometry::Pose;
using geometry::Region;

std::optional<Pose> referencePose(const Recipe& recipe, const std::string& datum)
{
    const Step* s = recipe.find(datum);
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (!kind || !kind->datum) return std::nullopt;
    if (!kind->taughtOnReference()) {
        const auto it = recipe.datumPoses.find(datum);
        return it == recipe.datumPoses.end() ? std::nullopt : std::optional(it->second);
    }
    Pose pose;
    const auto origin = s->points.find(kind->roles.origin);
    if (origin != s->points.end()) pose.origin = origin->second;
    else if (!kind->regions.empty() && s->regions.count(kind->regions.front().key))
        pose.origin = s->regions.at(kind->regions.front().key).middle();
    if (const ParamSpec* direction = kind->param(kind->roles.direction))
        pose.angle = geometry::radians(std::get<double>(direction->get(s->params)));
    if (recipe.calibration.bends()) {
        const auto& c = recipe.calibration;
        const Point x = geometry::direction(pose.angle);
        pose = {c.level(pose.origin), geometry::angleOf(c.level(pose.origin + x) - c.level(pose.origin - x))};
    }
    return pose;
}

Point Placed::carried(const Motion& motion, Point p) const
{
    const auto& c = *m_calibration;
    return c.bends() ? c.picture(motion.carry(c.level(p))) : motion.carry(p);
}
Region Placed::carried(const Motion& motion, const Region& r) const
{
    if (!m_calibration->bends()) return r.carried(motion);
    if (motion.reference == motion.now) return r;
    return r.mapped([&](Point p) { return carried(motion, p); });
}

std::optional<Placed> Placing::following(const std::string& datum) const
{
    if (datum.empty()) return Placed(m_recipe.calibration, Motion{});
    const auto reference = referencePose(m_recipe, datum);
    const StepResult* found = m_item ? m_item->step(datum) : nullptr;
    if (!reference || !found || found->state != State::Ok || found->finds.empty()) return std::nullopt;
    const Find& find = found->finds.front();
    return Placed(m_recipe.calibration, Motion{*reference, find.pose, find.scale});
}

std::map<std::string, Region> Placing::regions(const Step& step, bool& placed) const
{
    std::map<std::string, Region> out;
    const auto here = following(step.datum);
    placed = here.has_value();
    const StepKind* kind = findKind(step.kind);
    if (!here || !kind) return out;
    for (const auto& [key, of] : step.regionsOf)
        if (const StepResult* r = m_item ? m_item->step(of.step) : nullptr;
            r && r->state == State::Ok && kind->region(key))
            if (const auto region = resultAsRegion(*r, *kind->region(key), of.grow, here->motion().now))
                out[key] = *region;
    for (const auto& [key, r] : step.regions) {
        if (out.count(key)) continue;
        const RegionSpec* spec = kind->region(key);
        if (spec && spec->teaching) continue; // belongs to the reference
        out[key] = spec && spec->follows ? here->toPicture(r) : r;
    }
    return out;
}

namespace
{
// The first of the wanted shapes that can be made of it, level px.
std::optional<Region> regionFrom(const StepResult& r, const RegionSpec& spec, double grow, const Pose& frame)
{
    using geometry::Shape;
    if (r.features.empty()) return std::nullopt;
    const Feature& f = r.features.begin()->second;
    const auto wants = [&](Shape s) {
        return std::find(spec.shapes.begin(), spec.shapes.end(), s) != spec.shapes.end();
    };
    const auto round = [&](Point c, double radius) -> std::optional<Region> {
        if (wants(Shape::Circle) && radius + grow > 0) return Region::circle(c, radius + grow);
        const double band = std::max(2.0, std::abs(grow));
        if (wants(Shape::Ring)) return Region::ring(c, std::max(0.0, radius - band), radius + band);
        if (wants(Shape::Rectangle) && radius + grow > 0)
            return Region::rectangle(c, 2 * (radius + grow), 2 * (radius + grow), frame.angle);
        return std::nullopt;
    };
    const auto frameRound = [&](const std::vector<Point>& points) -> std::optional<Region> {
        if (points.empty()) return std::nullopt;
        // Level with the datum.
        double left = 1e300, right = -1e300, top = 1e300, bottom = -1e300;
        for (const Point p : points) {
            const Point q = frame.toLocal(p);
            left = std::min(left, q.x), right = std::max(right, q.x), top = std::min(top, q.y),
            bottom = std::max(bottom, q.y);
        }
        const double w = right - left + 2 * grow, h = bottom - top + 2 * grow;
        const Point c = frame.toPicture({(left + right) / 2, (top + bottom) / 2});
        if (!(w > 0 && h > 0)) return std::nullopt;
        if (wants(Shape::Rectangle)) return Region::rectangle(c, w, h, frame.angle);
        if (wants(Shape::Circle)) return Region::circle(c, std::hypot(w, h) / 2);
        if (wants(Shape::Window))
            return Region::window(frame.toPicture({left - grow, (top + bottom) / 2}),
                                  frame.toPicture({right + grow, (top + bottom) / 2}), h);
        return std::nullopt;
    };
    if (const auto* p = std::get_if<Point>(&f)) return round(*p, 0);
    if (const auto* c = std::get_if<geometry::Circle>(&f)) return round(c->centre, c->radius);
    if (const auto* e = std::get_if<geometry::Ellipse>(&f)) return round(e->centre, e->major / 2);
    if (const auto* s = std::get_if<geometry::Segment>(&f)) {
        if (wants(Shape::Window) && s->length() > 0) return Region::window(s->from, s->to, std::max(2.0, 2 * grow));
        return frameRound({s->from, s->to});
    }
    if (const auto* c = std::get_if<Contour>(&f)) {
        if (wants(Shape::Polygon) && grow == 0 && c->points.size() >= 3 && c->points.size() <= geometry::kMostCorners)
            return Region::polygon(c->points);
        return frameRound(c->points);
    }
    return frameRound(std::get<Group>(f).extent);
}
} // namespace

std::optional<Region> Placing::resultAsRegion(const StepResult& result, const RegionSpec& spec, double grow,
                                              const Pose& frame) const
{
    auto region = regionFrom(result, spec, grow, frame);
    if (region && m_recipe.calibration.bends())
        return region->mapped([&](Point p) { return m_recipe.calibration.picture(p); });
    return region;
}

} // namespace inspect
