#include "inspect/faults.h"

#include <algorithm>

namespace inspect
{

namespace
{
// Where the step left its first mark.
std::optional<geometry::Point> placeOf(const ItemResult& item, const std::string& step)
{
    const StepResult* r = item.step(step);
    if (!r) return {};
    for (const recipe::Mark& m : r->marks) {
        if (m.points.empty()) continue;
        geometry::Point sum;
        for (const auto p : m.points) sum = sum + p;
        return sum * (1.0 / double(m.points.size()));
    }
    return {};
}
// How far beyond its limit: what is used of the tolerance, of one limit alone the value by it.
double worstOf(double value, std::optional<double> low, std::optional<double> high, std::optional<double> share)
{
    if (high && !low && *high > 0) return value / *high;
    if (low && !high && *low > 0) return value > 0 ? *low / value : 1e6;
    return share.value_or(1);
}
} // namespace

std::vector<Fault> faultsOf(const ItemResult& item)
{
    std::vector<Fault> out;
    for (const CheckResult& c : item.checks) {
        if (c.verdict != Verdict::Fail && c.verdict != Verdict::NotMeasured) continue;
        const std::string balloon = c.balloon ? std::to_string(c.balloon) : std::string();
        const auto add = [&](Fault f) {
            f.step = c.step, f.output = c.output;
            out.push_back(std::move(f));
        };
        bool single = true;
        for (const ElementResult& e : c.elements) {
            if (e.verdict != Verdict::Fail && e.verdict != Verdict::NotMeasured) continue;
            single = false;
            Fault f;
            f.element = e.listed;
            f.number = balloon + (balloon.empty() ? "" : ".") + e.name;
            f.measured = e.verdict == Verdict::Fail;
            const std::string value =
                e.value >= 0 ? base::toText(c.values[std::size_t(e.value)], c.unit, c.shownIn) : std::string();
            f.name = !e.says.empty() ? e.says : e.value < 0 ? e.reason : !c.fault.empty() ? c.fault : c.name;
            f.detail = e.value < 0 ? c.name : c.name + " " + value + (e.reason.empty() ? "" : ", " + e.reason);
            // What is missing has no share: it is the worst.
            f.worst = e.value < 0 ? 1e9 : worstOf(c.values[std::size_t(e.value)], e.low, e.high, e.share);
            f.at = e.at;
            add(std::move(f));
        }
        if (!single) continue;
        Fault f;
        f.number = balloon;
        f.measured = c.verdict == Verdict::Fail;
        f.name = !c.fault.empty() ? c.fault : c.name;
        f.detail = (c.fault.empty() ? "" : c.name + " ") + c.valueText() + (c.reason.empty() ? "" : ", " + c.reason);
        f.worst = f.measured && !c.list && !c.values.empty() ? worstOf(c.values.front(), c.low, c.high, c.share)
                  : f.measured                               ? 1
                                                             : 0;
        f.at = placeOf(item, c.step);
        add(std::move(f));
    }
    std::stable_sort(out.begin(), out.end(), [](const Fault& a, const Fault& b) {
        return a.measured != b.measured ? a.measured : a.worst > b.worst;
    });
    return out;
}

} // namespace inspect
