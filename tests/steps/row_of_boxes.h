// row_of_boxes.h - four boxes in a row as a group.
#pragma once
#include "../support.h"

namespace support
{
using geometry::Point;
using geometry::Region;

inline image::Image row()
{
    return draw({box(20, 40, 40, 60), box(70, 40, 90, 60), box(120, 40, 150, 60), box(190, 40, 210, 60)}, 240, 100);
}
inline recipe::Recipe group()
{
    recipe::Recipe r;
    chain(r, "blobs", "all", [](recipe::Step& s) { put(s, "objects", std::string("dark")); });
    return r;
}

} // namespace support
