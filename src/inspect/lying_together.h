// lying_together.h - whether the pictures of one capture lie on each other, as they must.
//
// Input   two pictures of light, perhaps under lights so different that bright and dark are exchanged.
// Output  how far what the second one shows lies beside where the first one shows it, px; nothing when too little is
//         shown in both.
// Accuracy  about half a px; shifts up to 3 % of the longer side (tests/lights_test.cpp).
// Source  normalised correlation of the gradient's size, on a stack of smaller pictures.
// Cost    about 5 ms for 5 million pixels.
#pragma once
#include "image/capture.h"

#include "geometry/geometry.h"

#include <string>
#include <vector>

namespace inspect
{

std::optional<geometry::Point> shiftBetween(const image::Picture& first, const image::Picture& other);
// What is to be said of a capture: pictures beside the first one, tiles that are missing, seams that do not fit.
std::vector<std::string> captureWarnings(const image::Capture& capture);

} // namespace inspect
