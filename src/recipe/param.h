// param.h - what one parameter of a step kind is: key, words, unit, range, default.
//
// Everything that shows, stores, parses or documents a parameter reads ParamSpec; nothing else knows a range or a
// label.
#pragma once
#include "base/result.h"
#include "base/unit.h"

#include <any>
#include <cstdint>
#include <functional>
#include <string>
#include <variant>
#include <vector>

namespace recipe
{

using Value = std::variant<bool, std::int64_t, double, std::string>;

struct Real {
    double min, max, step = 0.1;       // closed range, in the parameter's unit
    double usualMin = 0, usualMax = 0; // sensible range; both 0: the hard one
};
struct Whole {
    std::int64_t min, max;
};
struct Flag {
};
// One line of text; a formula names results of other steps in square brackets.
struct Text {
    bool formula = false;
    std::size_t most = 2000; // characters
};
struct Choice {
    std::string key, label;
};
struct Choices {
    std::vector<Choice> all; // stored by key, shown by label
};
using Domain = std::variant<Real, Whole, Flag, Choices, Text>;

struct ParamSpec {
    std::string key;   // snake_case; stored in files; never renamed (add an alias instead)
    std::string label; // sentence case, no unit, no colon
    std::string help;  // one sentence: what turning it up does
    base::Unit unit = base::Unit::None;
    Domain domain;
    Value fallback;       // the struct's member initialiser, captured once
    bool primary = false; // one of the settings that matter; shown first
    // A choice of the same kind, and its values under which this setting is read; empty: always.
    std::string when{};
    std::vector<std::string> is{};
    std::function<Value(const std::any&)> get;
    std::function<void(std::any&, const Value&)> put; // only after check() passed

    // Fails with InvalidArgument or OutOfRange naming key, value and bound; also on not-a-number and the wrong type.
    base::Status check(const Value& value) const;
    std::string rangeText() const; // "0.5 .. 255 grey", "any, rising, falling"
};

} // namespace recipe
