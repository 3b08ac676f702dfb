// objects.h - what a step looked at one by one: objects, edges, finds; each with its place, its values and its fate.
//
// The lists a step answers are the rows that have a number, in the order of their numbers. Rows that were turned away
// stay, with the bound that turned them away and the value that did not keep to it: "how come" is read from them.
#pragma once
#include "base/unit.h"
#include "geometry/geometry.h"

#include <cmath>
#include <optional>
#include <string>
#include <vector>

namespace recipe
{

enum class Fate {
    Kept,
    Unlisted,  // counted, but the list is cut off before it
    Filtered,  // a filter of the step: `by` is the output
    Bounded,   // a setting of the step: `by` is its key
    AtBorder,  // cut by the border
    LeftOut,   // lies in an area that is left out
    NotChosen, // good enough, but another one is meant
};
const char* name(Fate fate); // "kept", "not listed", "filtered", …

struct ObjectTable {
    struct Column {
        std::string key; // of an output, when the value is one
        std::string label;
        base::Unit unit = base::Unit::None;
    };
    struct Row {
        geometry::Point at;         // level px
        std::vector<double> values; // by column; NaN: not worked out
        Fate fate = Fate::Kept;
        int number = 0; // in the step's lists, from 1; 0: in none
        std::string by; // what turned it away, and how far it was from staying
        double value = 0;
        std::optional<double> low, high;
        // px, radians: the ellipse it about fills; a click inside means this one
        double radius = 4, across = 4, angle = 0;
        bool kept() const { return fate == Fate::Kept || fate == Fate::Unlisted; }
        // What is missing to the nearer bound, positive; 0: it was not turned away by a bound.
        double off() const;
        bool covers(geometry::Point place) const; // level px
    };
    std::vector<Column> columns;
    std::vector<Row> rows; // numbered ones first, in their order
    int more = 0;          // rows that are not told: too many of them

    bool empty() const { return rows.empty(); }
    int column(const std::string& key) const; // -1: none
    // A list the step answers: the numbered rows' values.
    std::vector<double> list(int column) const;
    // The row a place means: the smallest one it lies in, else the nearest within `reach` px; -1: none.
    int at(geometry::Point place, double reach) const;
};
// "left out by the filter on Size of each: 214 px², at least 300 are needed (86 short)"
std::string howCome(const ObjectTable& table, int row, const std::string& byLabel);

} // namespace recipe
