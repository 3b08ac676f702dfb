// level_picture.h - the picture as the calibrated plane looks from straight above; for finding parts only, never for
// measuring.
//
// Input   a grey picture, a calibration by lens.
// Output  an 8-bit picture in level px; its pixel (0, 0) is the level place `origin`. What lies outside the picture
//         repeats its border.
// Accuracy  places are exact, edges are softened by the bilinear reading: datums stay within 0.02 px
//           (tests/calibrated_steps_test.cpp).
// Cost    about 20 ms at 5 MP.
#pragma once
#include "geometry/calibration.h"
#include "image/image.h"

namespace vision
{

struct LevelPicture {
    image::Image picture;
    geometry::Point origin;
};
LevelPicture levelPicture(const image::GreyView& picture, const geometry::Calibration& calibration);

} // namespace vision
