#include "inspect/worst.h"

#include <algorithm>

namespace inspect
{
using geometry::Point;

namespace
{
// The box of a mark; points that are only strays say nothing about where it is.
bool widen(const recipe::Mark& m, Point& low, Point& high)
{
    if (m.role == recipe::MarkRole::Stray || m.points.empty()) return false;
    const double r = m.shape == recipe::MarkShape::Circle ? m.radius : 0;
    for (const Point p : m.points) {
        low = {std::min(low.x, p.x - r), std::min(low.y, p.y - r)};
        high = {std::max(high.x, p.x + r), std::max(high.y, p.y + r)};
    }
    return true;
}
int severity(const CheckResult& c)
{
    return c.verdict == Verdict::Fail ? 3 : c.verdict == Verdict::NotMeasured ? 2 : c.verdict == Verdict::Pass ? 1 : 0;
}
} // namespace

std::optional<Spot> spotOf(const ItemResult& item, const CheckResult& check)
{
    const StepResult* r = item.step(check.step);
    if (!r) return {};
    const ElementResult* worst = nullptr;
    for (const auto& e : check.elements)
        if (e.verdict == Verdict::Fail && (!worst || e.value < 0)) worst = &e;
    Point low{1e300, 1e300}, high{-1e300, -1e300};
    bool any = false;
    for (const auto& m : r->marks)
        if (!worst || m.element == worst->value + 1) any = widen(m, low, high) || any;
    if (worst && worst->at)
        return Spot{*worst->at, any ? (high.x - low.x + high.y - low.y) / 4 : 0, check.step, check.output};
    if (!any) return {};
    return Spot{(low + high) * 0.5, std::max(high.x - low.x, high.y - low.y) / 2, check.step, check.output};
}

std::optional<Spot> worstSpot(const ItemResult& item)
{
    std::optional<Spot> best;
    double most = -1;
    for (const CheckResult& c : item.checks) {
        const double weight = 10 * severity(c) + std::min(c.share.value_or(0), 9.0);
        if (weight <= most) continue;
        if (auto spot = spotOf(item, c)) most = weight, best = std::move(spot);
    }
    return best;
}

} // namespace inspect
