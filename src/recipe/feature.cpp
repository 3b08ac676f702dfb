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

} // namespace recipe
