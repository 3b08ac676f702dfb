// tiles.h - one large picture joined from overlapping ones.
//
// Input   a plan: where the upper left corner of each tile lies in the joined picture, px, and how far it may lie off;
//         the tiles that are there, of one size and kind.
// Output  the joined picture: every tile laid where it fits its neighbours best, to a fraction of a pixel, all at once;
//         light evened; a tile that is missing leaves a hole, of level 0, which is told. For every seam what is left over
//         between where it says the tiles lie and where they were laid.
// Fails   check(): no tile, a name twice, a tile without overlap with any other, a picture that would be too large;
//         join(): tiles of different size or kind; InvalidArgument naming the tile.
// Accuracy  residual at most 0.05 px on textured and on sparse pictures, noise 2 to 4 (tests/tiles_test.cpp).
// Source  start by normalised correlation of small copies within the reach; refinement by least squares of grey with
//         gain and offset (Lucas and Kanade 1981); all places by weighted least squares, the plan a weak observation.
//         Light: least squares of the logarithms of what two tiles see of the same places.
// Cost    about 25 ns a pixel of the tiles, on one core.
#pragma once
#include "base/result.h"
#include "image/image.h"

#include <array>
#include <cmath>
#include <string>
#include <vector>

namespace image
{

struct TilePlan {
    struct Tile {
        std::string name;    // as in the files' names; "2.3" for row 2 and column 3
        double x = 0, y = 0; // px of the joined picture
        bool held = false;   // it lies just there, whatever the picture says
        friend bool operator==(const Tile&, const Tile&) = default;
    };
    std::vector<Tile> tiles;
    double reach = 30;     // px: how far a tile may lie off its place
    bool byPicture = true; // laid by what tiles share; else just as planned
    bool evenLight = true;
    friend bool operator==(const TilePlan&, const TilePlan&) = default;
};
constexpr std::size_t kMostTiles = 400;
base::Status check(const TilePlan& plan);
// Rows and columns named "1.1", "1.2", …, from one to the next by these steps, px.
TilePlan gridPlan(int rows, int columns, std::array<double, 2> column, std::array<double, 2> row);

struct Joined {
    struct Tile {
        std::string name;
        double x = 0, y = 0; // px of the joined picture, upper left corner; of a missing one as planned
        int width = 0, height = 0;
        double gain = 1; // it was multiplied by, at its middle
        bool there = false;
    };
    // Between two tiles that overlap.
    struct Seam {
        int first = 0, second = 0;                 // indexes of tiles
        int left = 0, top = 0, right = 0, low = 0; // what both cover, px of the joined picture, ends not included
        bool seen = false;     // there was enough to see in it; else only the plan says how they lie
        double dx = 0, dy = 0; // px: where the second one shows the same, less where it was laid
        double grey = 0;       // difference that is left, rms grey levels
        double residual() const { return std::hypot(dx, dy); }
    };
    std::vector<Tile> tiles;
    std::vector<Seam> seams;
    double worstResidual() const; // px, of the seams that were seen
    std::vector<std::string> missing() const;
    // Whether a missing tile leaves a hole here: nothing else covers the place.
    bool hole(double x, double y) const;
    // Whether a hole touches the box, ends included; the tile's name, or empty.
    std::string holeIn(double left, double top, double right, double low) const;
};
struct JoinedPicture {
    Image pixels;
    Joined how;
};
// `tiles`: in the plan's order, an empty image for a missing one.
base::Result<JoinedPicture> join(const TilePlan& plan, const std::vector<Image>& tiles);
// The places of tiles of which only rows and columns are known, from the pictures alone: neighbours overlap by 3 to 60 %.
// Fails with NoResult naming the pair that shows nothing in common.
base::Result<TilePlan> planFrom(int rows, int columns, const std::vector<Image>& tiles);

} // namespace image
