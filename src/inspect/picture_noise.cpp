#include "inspect/picture_noise.h"

#include "vision/edges.h"

namespace inspect
{

double pictureNoise(const image::Capture& capture) { return vision::noise(capture.first().grey()); }

} // namespace inspect
