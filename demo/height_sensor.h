// height_sensor.h - what a height sensor that looks from above makes of true heights: shadow, noise, lost points.
#pragma once
#include "demo/render.h"
#include "image/image.h"

#include <functional>
#include <vector>

namespace demo
{

// What the sensor makes of true heights: z(x, y) in mm of a place in px, NaN where nothing throws light back.
struct Sensor {
    double noise = 0.004;        // mm
    double lost = 0.015;         // share of the points
    double flyers = 2e-5;        // share that are somewhere else
    double flight = 1.5;         // mm, how far
    double shadow = 0.6;         // px of shadow per mm of step and px size: tangent of the laser's angle
    double tiltX = 0, tiltY = 0; // mm a px
};
std::vector<float> sensed(int width, int height, double mm, const std::function<double(double, double)>& z,
                          const Sensor& s, Random& random);
// As 16 bit steps, 0 where nothing was measured; as floats.
image::Image asSteps(const std::vector<float>& z, int width, int height, double step, double offset);
image::Image asFloats(const std::vector<float>& z, int width, int height);

} // namespace demo
