// target_grid.h - points that may be corners or dots of a target, and the grid that hangs together among them. For
// target.cpp.
#pragma once
#include "geometry/geometry.h"

#include <map>
#include <utility>
#include <vector>

namespace vision
{

// A point that may belong to the grid. Of a corner: directions of its two borders and which side of the first is
// bright.
struct Node {
    geometry::Point at;
    double first = 0, second = 0; // directions in [0, pi), first < second; y down
    bool brightAfterFirst = false;
    double size = 0;
    bool hollow = false;
};

using Index = std::pair<int, int>; // column, row
using Grid = std::map<Index, int>; // place in the grid → node
struct Extent {
    int left = 1 << 30, right = -(1 << 30), top = 1 << 30, bottom = -(1 << 30);
    int columns() const { return right - left + 1; }
    int rows() const { return bottom - top + 1; }
};
Extent extentOf(const Grid& grid);

// The best grid any seed grows from neighbour to neighbour; `corners`: borders and brightness between them have to
// agree too. It stops early once `wanted` nodes hang together.
Grid growGrid(const std::vector<Node>& nodes, bool corners, std::size_t wanted);
// Stray rows and columns at the rim (a table edge, print beside the board) are dropped while the grid is larger than
// asked for: less than a third of what a full one would hold.
void trim(Grid& grid, int most, int least);
// The same grid turned by quarter turns, its smallest column and row 0.
Grid turned(const Grid& grid, int quarters);

} // namespace vision
