#include "recipe/variants.h"

#include <algorithm>

namespace recipe
{
using base::ErrorCode;
using base::fail;

namespace
{
std::shared_ptr<const Recipe> aside(Recipe r)
{
    r.variants.clear();
    r.history.clear();
    return std::make_shared<const Recipe>(std::move(r));
}
// What belongs to all of them.
Recipe inWork(const Recipe& of, Recipe next, std::vector<std::shared_ptr<const Recipe>> others)
{
    next.name = of.name, next.revision = of.revision, next.history = of.history, next.trialsInside = of.trialsInside;
    next.variants = std::move(others);
    return next;
}
base::Status freeName(const Recipe& r, const std::string& name)
{
    if (name.empty()) return fail(ErrorCode::InvalidArgument, "a variant needs a name");
    const auto all = variantNames(r);
    if (std::find(all.begin(), all.end(), name) != all.end())
        return fail(ErrorCode::InvalidArgument, "there is a variant \"" + name + "\" already");
    return {};
}
} // namespace

std::vector<std::string> variantNames(const Recipe& r)
{
    std::vector<std::string> out;
    if (!r.variant.empty()) out.push_back(r.variant);
    for (const auto& v : r.variants) out.push_back(v->variant);
    std::sort(out.begin(), out.end());
    return out;
}

base::Result<Recipe> withVariant(const Recipe& r, const std::string& name)
{
    if (name == r.variant) return r;
    auto others = r.variants;
    const auto it = std::find_if(others.begin(), others.end(), [&](const auto& v) { return v->variant == name; });
    if (it == others.end()) {
        std::string there;
        for (const std::string& n : variantNames(r)) there += (there.empty() ? "" : ", ") + n;
        return fail(ErrorCode::NotFound, "there is no variant \"" + name + "\"" +
                                             (there.empty() ? "; there are none" : "; there are " + there));
    }
    Recipe next = **it;
    others.erase(it);
    others.push_back(aside(r));
    return inWork(r, std::move(next), std::move(others));
}

base::Result<Recipe> withNewVariant(const Recipe& r, const std::string& name)
{
    Recipe before = r;
    for (int n = 1; before.variant.empty(); ++n)
        if (const std::string wanted = "Variant " + std::to_string(n); wanted != name && freeName(r, wanted))
            before.variant = wanted;
    if (auto ok = freeName(before, name); !ok) return base::passOn(ok.error());
    auto others = r.variants;
    others.push_back(aside(before));
    Recipe next = r;
    next.variant = name;
    next.trials.clear();
    return inWork(r, std::move(next), std::move(others));
}

base::Result<Recipe> withVariantNamed(const Recipe& r, const std::string& name)
{
    if (name == r.variant) return r;
    if (auto ok = freeName(r, name); !ok) return base::passOn(ok.error());
    Recipe next = r;
    next.variant = name;
    return next;
}

base::Result<Recipe> withoutVariant(const Recipe& r)
{
    if (r.variants.empty()) return fail(ErrorCode::InvalidArgument, "this is the only variant");
    const auto names = variantNames(r);
    auto next = withVariant(r, names.front() == r.variant ? names[1] : names.front());
    if (!next) return next;
    std::erase_if(next->variants, [&](const auto& v) { return v->variant == r.variant; });
    return next;
}

} // namespace recipe
