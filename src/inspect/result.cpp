#include "inspect/result.h"

#include "inspect/uncertainty.h"

#include <algorithm>

namespace inspect
{

const char* name(State s) { return s == State::Ok ? "ok" : s == State::Failed ? "failed" : "not_run"; }
const char* name(Verdict v)
{
    switch (v) {
    case Verdict::Pass: return "pass";
    case Verdict::Fail: return "fail";
    case Verdict::NotMeasured: return "not_measured";
    case Verdict::Unjudged: return "unjudged";
    }
    return "";
}

const char* name(Outcome o) { return o == Outcome::Accept ? "accept" : o == Outcome::Reject ? "reject" : "unjudged"; }

const recipe::Group* StepResult::group() const
{
    for (const auto& [key, feature] : features)
        if (const auto* g = std::get_if<recipe::Group>(&feature)) return g;
    return nullptr;
}
std::string StepResult::elementName(const std::string& output, std::size_t i) const
{
    auto at = elementNames.find(output);
    if (at == elementNames.end()) at = elementNames.find("");
    return at != elementNames.end() && i < at->second.size() ? at->second[i] : std::string();
}
std::string StepResult::elementSays(const std::string& output, std::size_t i) const
{
    auto at = says.find(output);
    if (at == says.end()) at = says.find("");
    return at != says.end() && i < at->second.size() ? at->second[i] : std::string();
}
std::vector<geometry::Point> StepResult::elementPlaces() const
{
    if (const auto at = points.find("elements"); at != points.end()) return at->second;
    std::vector<geometry::Point> out;
    if (const recipe::Group* g = group())
        for (const auto& m : g->members) out.push_back(m.centre);
    return out;
}
const OutputValue* StepResult::output(const std::string& wanted) const
{
    for (const OutputValue& o : outputs)
        if (o.name == wanted) return &o;
    return nullptr;
}

std::vector<int> CheckResult::failed() const
{
    std::vector<int> out;
    for (std::size_t i = 0; i < elements.size(); ++i)
        if (elements[i].verdict == Verdict::Fail || elements[i].verdict == Verdict::NotMeasured)
            out.push_back(int(i) + 1);
    return out;
}

std::string CheckResult::valueText() const
{
    if (values.empty() && verdict == Verdict::Fail && !list) return "missing";
    if (values.empty() && (verdict == Verdict::NotMeasured || !list)) return "not measured";
    if (!list) return base::toText(values.front(), unit, shownIn);
    const auto out = failed().size();
    const std::string n = std::to_string(elements.empty() ? values.size() : elements.size());
    if (verdict != Verdict::Unjudged && !elements.empty())
        return out ? std::to_string(out) + " of " + n + " out" : "all " + n + " pass";
    return n + " values";
}

std::string CheckResult::uncertaintyText() const
{
    if (!uncertainty || values.empty()) return {};
    const base::Unit shown = base::shownAs(unit, shownIn);
    const double u = base::convertible(unit, shown) ? base::converted(*uncertainty, unit, shown) : *uncertainty;
    return "± " + inspect::uncertaintyText(u, shown);
}

const CheckResult* ItemResult::check(const std::string& step, const std::string& output) const
{
    for (const CheckResult& c : checks)
        if (c.step == step && c.output == output) return &c;
    return nullptr;
}
const StepResult* ItemResult::step(const std::string& id) const
{
    for (const auto& s : steps)
        if (s->step == id) return s.get();
    return nullptr;
}

std::string ItemResult::sentence() const
{
    if (accepted()) return {};
    for (const CheckResult& c : checks)
        if (c.verdict == Verdict::Fail)
            return (c.fault.empty() ? c.name : c.fault + " · " + c.name) + " " + c.valueText() +
                   (c.reason.empty() ? "" : " · " + c.reason);
    if (!reason.empty()) return reason;
    for (const CheckResult& c : checks)
        if (c.verdict == Verdict::NotMeasured) return c.name + " not measured · " + c.reason;
    return "nothing was judged";
}

Outcome PictureResult::outcome() const
{
    if (error) return Outcome::Reject;
    const auto any = [&](Outcome o) {
        return std::any_of(items.begin(), items.end(), [&](const ItemResult& i) { return i.outcome == o; });
    };
    if (any(Outcome::Reject)) return Outcome::Reject;
    return items.empty() || any(Outcome::Unjudged) ? Outcome::Unjudged : Outcome::Accept;
}

} // namespace inspect
