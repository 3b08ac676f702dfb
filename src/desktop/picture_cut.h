// picture_cut.h - a small picture out of a large one, about a place, the part turned level.
#pragma once
#include "geometry/geometry.h"
#include "image/capture.h"

#include <QImage>

namespace desktop
{

// `half`: half the height of what is seen, picture px; 0: the whole picture. `turn`: of the part, radians. Of `size`
// screen px, with two pixels each.
QImage cutOut(const image::Picture& picture, geometry::Point at, double half, double turn, QSize size);

} // namespace desktop
