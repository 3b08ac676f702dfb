// evidence.h - the plot a person trusts an answer by.
#pragma once
#include "geometry/plane.h"
#include "image/image.h"
#include "recipe/param.h"

#include <memory>
#include <string>
#include <vector>

namespace recipe
{

struct Evidence {
    struct Curve {
        std::string name;
        std::vector<double> x, y; // a NaN parts it
        bool filled = false, second = false;
        enum class Look { Thin, Bold, Extended } look = Look::Thin; // of a plateau; of what is thought beyond it
    };
    struct Gap { // along x: no point was measured
        double from, to;
    };
    struct Rule { // an upright dimension
        double at, from, to;
        std::string text;
    };
    struct Stem { // an edge: where, how strong, whether it counts
        double at, height;
        std::string text;
        bool counts;
        geometry::Point place;
    };
    struct Handle { // a parameter dragged on the plot
        std::string param, label;
        bool alongX;
        double value;
        std::vector<std::pair<std::string, Value>> also{}; // set along with it, e.g. the mode that makes it count
    };
    std::string title, xLabel, yLabel, note;
    std::vector<Curve> curves;
    std::vector<Stem> stems;
    std::vector<Handle> handles;
    bool ownRange = false; // up the plot: the curves' own, 0 need not be in it
    std::vector<Gap> gaps;
    std::vector<Rule> rules;
    // Of heights: what a band takes, for the sheet, over this plane.
    bool takesHeights = false;
    geometry::HeightPlane over{};
    bool logarithmic = false;
    // What a grey range takes, for the sheet: levels from low to high, inside the region.
    bool takes = false;
    std::shared_ptr<const image::Image> mask; // 8 bit, the picture's size: 255 is taken; none: by the levels below
    double low = 0, high = 0;
};

} // namespace recipe
