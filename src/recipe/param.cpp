#include "recipe/param.h"

namespace recipe
{
using base::ErrorCode;
using base::fail;

namespace
{
template <class... F> struct Overload : F... {
    using F::operator()...;
};
template <class... F> Overload(F...) -> Overload<F...>;

std::string unitText(base::Unit unit) { return unit == base::Unit::None ? "" : " " + std::string(base::symbol(unit)); }
} // namespace

base::Status ParamSpec::check(const Value& value) const
{
    const auto outside = [&](const std::string& shown) {
        return fail(ErrorCode::OutOfRange, key + " = " + shown + unitText(unit) + " is outside " + rangeText());
    };
    return std::visit(Overload{[&](const Real& r) -> base::Status {
                                   const double* v = std::get_if<double>(&value);
                                   if (!v) return fail(ErrorCode::InvalidArgument, key + " must be a number");
                                   if (*v >= r.min && *v <= r.max) return {};
                                   return outside(*v == *v ? base::shortest(*v) : "not a number");
                               },
                               [&](const Whole& w) -> base::Status {
                                   const auto* v = std::get_if<std::int64_t>(&value);
                                   if (!v) return fail(ErrorCode::InvalidArgument, key + " must be a whole number");
                                   if (*v >= w.min && *v <= w.max) return {};
                                   return outside(std::to_string(*v));
                               },
                               [&](const Flag&) -> base::Status {
                                   if (std::holds_alternative<bool>(value)) return {};
                                   return fail(ErrorCode::InvalidArgument, key + " must be true or false");
                               },
                               [&](const Choices& c) -> base::Status {
                                   const auto* s = std::get_if<std::string>(&value);
                                   if (!s)
                                       return fail(ErrorCode::InvalidArgument, key + " must be one of: " + rangeText());
                                   for (const Choice& choice : c.all)
                                       if (choice.key == *s) return {};
                                   return fail(ErrorCode::OutOfRange,
                                               key + " = \"" + *s + "\" is not one of: " + rangeText());
                               },
                               [&](const Text& t) -> base::Status {
                                   const auto* s = std::get_if<std::string>(&value);
                                   if (!s) return fail(ErrorCode::InvalidArgument, key + " must be a text");
                                   if (s->size() <= t.most) return {};
                                   return outside(std::to_string(s->size()) + " characters");
                               }},
                      domain);
}

std::string ParamSpec::rangeText() const
{
    return std::visit(
        Overload{
            [&](const Real& r) { return base::shortest(r.min) + " .. " + base::shortest(r.max) + unitText(unit); },
            [&](const Whole& w) { return std::to_string(w.min) + " .. " + std::to_string(w.max) + unitText(unit); },
            [](const Flag&) { return std::string("true, false"); },
            [](const Choices& c) {
                std::string s;
                for (const Choice& x : c.all) s += (s.empty() ? "" : ", ") + x.key;
                return s;
            },
            [](const Text& t) { return "at most " + std::to_string(t.most) + " characters"; }},
        domain);
}

} // namespace recipe
