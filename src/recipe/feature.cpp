#include "recipe/feature.h"

namespace recipe
{
using geometry::Point;

Point placeOf(const Feature& f)
{
    struct {
        Point operator()(Point p) const { return p; }
        Point operator()(const geometry::Segment& s) const { return (s.from + s.to) * 0.5; }
        Point operator()(const geometry::Circle& c) const { return c.centre; }
        Point operator()(const geometry::Ellipse& e) const { return e.centre; }
        Point operator()(const geometry::HeightPlane& p) const { return p.middle; }
        Point operator()(const Contour& c) const { return mean(c.points); }
        Point operator()(const Group& g) const
        {
            std::vector<Point> all;
            for (const auto& m : g.members) all.push_back(m.centre);
            return mean(all);
        }
        static Point mean(const std::vector<Point>& all)
        {
            Point sum;
            for (const Point p : all) sum = sum + p;
            return all.empty() ? sum : sum * (1.0 / double(all.size()));
        }
    } place;
    return std::visit(place, f);
}

std::vector<double> numbersOf(const Feature& f)
{
    if (const auto* p = std::get_if<Point>(&f)) return {p->x, p->y};
    if (const auto* s = std::get_if<geometry::Segment>(&f)) return {s->from.x, s->from.y, s->to.x, s->to.y};
    if (const auto* c = std::get_if<geometry::Circle>(&f)) return {c->centre.x, c->centre.y, c->radius};
    if (const auto* e = std::get_if<geometry::Ellipse>(&f))
        return {e->centre.x, e->centre.y, e->major, e->minor, e->angle};
    return {};
}

Feature withNumbers(const Feature& f, const std::vector<double>& n)
{
    Feature out = f;
    if (auto* p = std::get_if<Point>(&out)) *p = {n[0], n[1]};
    else if (auto* s = std::get_if<geometry::Segment>(&out)) s->from = {n[0], n[1]}, s->to = {n[2], n[3]};
    else if (auto* c = std::get_if<geometry::Circle>(&out)) c->centre = {n[0], n[1]}, c->radius = n[2];
    else if (auto* e = std::get_if<geometry::Ellipse>(&out))
        e->centre = {n[0], n[1]}, e->major = n[2], e->minor = n[3], e->angle = n[4];
    return out;
}

} // namespace recipe
