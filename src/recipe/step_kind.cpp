#include "recipe/step_kind.h"

#include <nlohmann/json.hpp>

namespace recipe
{
using base::ErrorCode;
using base::fail;

namespace
{
template <class Specs> auto lookUp(const Specs& specs, const std::string& name) -> decltype(specs.data())
{
    for (const auto& s : specs)
        if (s.key == name) return &s;
    return nullptr;
}
} // namespace

const ParamSpec* StepKind::param(const std::string& name) const { return lookUp(params, name); }
const RegionSpec* StepKind::region(const std::string& name) const { return lookUp(regions, name); }
const OutputSpec* StepKind::output(const std::string& name) const { return lookUp(outputs, name); }
const InputSpec* StepKind::input(const std::string& name) const { return lookUp(inputs, name); }
const PictureSpec* StepKind::picture(const std::string& name) const { return lookUp(pictures, name); }
const OutputSpec* StepKind::mainOutput() const
{
    for (const OutputSpec& o : outputs)
        if (o.main) return &o;
    return nullptr;
}

namespace
{
bool isSet(const ParamSpec* flag, const std::any& values) { return flag && std::get<bool>(flag->get(values)); }
} // namespace
bool StepKind::isRead(const ParamSpec& p, const std::any& values) const
{
    const ParamSpec* choice = p.when.empty() ? nullptr : param(p.when);
    if (!choice) return true;
    const std::string now = std::get<std::string>(choice->get(values));
    return std::find(p.is.begin(), p.is.end(), now) != p.is.end() && isRead(*choice, values);
}

bool StepKind::isReversed(const std::any& values) const { return isSet(param(roles.reversed), values); }
bool StepKind::isReversedRound(const std::any& values) const
{
    return isSet(param(roles.reversedRound.empty() ? roles.reversed : roles.reversedRound), values);
}
bool StepKind::takesColour(const std::any& values) const
{
    const ParamSpec* mode = param(roles.colourSetting);
    return mode && std::get<std::string>(mode->get(values)) == roles.colourValue;
}

base::Status StepKind::consistent(const std::any& values, bool labels) const
{
    for (const Ordered& o : ordered) {
        if (const ParamSpec* when = param(o.when); when && std::get<std::string>(when->get(values)) != o.is) continue;
        const ParamSpec *low = param(o.low), *high = param(o.high);
        const auto number = [&](const ParamSpec& p) {
            const Value v = p.get(values);
            return std::holds_alternative<double>(v) ? std::get<double>(v) : double(std::get<std::int64_t>(v));
        };
        const double a = number(*low), b = number(*high);
        if (a > b)
            return fail(ErrorCode::OutOfRange, (labels ? low->label : low->key) + " = " + base::shortest(a) +
                                                   " is above " + (labels ? high->label : high->key) + " = " +
                                                   base::shortest(b));
    }
    return {};
}

const StepKind* findKind(const std::string& key)
{
    for (const StepKind& k : allStepKinds())
        if (k.key == key) return &k;
    return nullptr;
}

bool StepKind::mustBeTaught(const std::any& values) const { return teach && (!needsTeaching || needsTeaching(values)); }

nlohmann::json StepKind::paramsToJson(const std::any& values) const
{
    nlohmann::json out = nlohmann::json::object();
    for (const ParamSpec& p : params) std::visit([&](const auto& v) { out[p.key] = v; }, p.get(values));
    return out;
}

base::Result<std::any> StepKind::paramsFromJson(const nlohmann::json& json) const
{
    // A file is untrusted: each type is tested first, so that no parser exception leaves this function.
    if (!json.is_object()) return fail(ErrorCode::InvalidArgument, "must be an object", "params");
    std::any values = defaults;
    for (const auto& [name, j] : json.items()) {
        const ParamSpec* p = param(name);
        if (!p) {
            std::string known;
            for (const ParamSpec& x : params) known += (known.empty() ? "" : ", ") + x.key;
            return fail(ErrorCode::InvalidArgument, "unknown field \"" + name + "\"; kind \"" + key + "\" has " + known,
                        "params");
        }
        Value v;
        if (j.is_boolean()) v = j.get<bool>();
        else if (j.is_string()) v = j.get<std::string>();
        else if (std::holds_alternative<Real>(p->domain) && j.is_number()) v = j.get<double>();
        else if (j.is_number_unsigned() && j.get<std::uint64_t>() > std::uint64_t(INT64_MAX)) v = INT64_MAX;
        else if (j.is_number_integer()) v = j.get<std::int64_t>();
        else if (j.is_number()) v = j.get<double>();
        else return fail(ErrorCode::InvalidArgument, name + " has the wrong type", "params");
        if (auto ok = p->check(v); !ok) return base::passOn(ok.error(), "params");
        p->put(values, v);
    }
    return values;
}

} // namespace recipe
