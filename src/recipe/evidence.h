// evidence.h - the plot a person trusts an answer by.
#pragma once
#include "geometry/geometry.h"
#include "geometry/plane.h"
#include "image/image.h"
#include "recipe/param.h"

#include <memory>
#include <optional>
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
    // One of many beside its limit: a good one's, or this one's.
    struct Dot {
        double x, y;
        enum class Of { Good, Here } of = Of::Good;
        std::string text{}; // along x
    };
    // What is good and what is here, side by side, cut alike; `here` is laid as the good one lies.
    struct Pair {
        std::shared_ptr<const image::Image> good, here, difference;
        std::string goodText, hereText;
        // Over both, px of the pictures: where it should lie, and where it lies.
        std::vector<geometry::Point> should, is;
        struct Fact {
            std::string text;
            bool good = true;
        };
        std::vector<Fact> facts; // why it is called what it is called
    };
    // How far a picture may differ, dark is much, with what the ends stand for.
    struct Map {
        std::shared_ptr<const image::Image> picture;
        double low = 0, high = 0;
        std::string unit, text;
    };
    std::string title, xLabel, yLabel, note;
    std::vector<Curve> curves;
    std::vector<Stem> stems;
    std::vector<Handle> handles;
    bool ownRange = false; // up the plot: the curves' own, 0 need not be in it
    std::vector<Dot> dots;
    std::optional<double> limit; // of the dots, up the plot
    std::optional<Pair> pair;
    std::optional<Map> map;
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
