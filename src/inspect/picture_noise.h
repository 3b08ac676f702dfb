// picture_noise.h - the grey noise of a capture, for the layers above that choose first settings by it.
#pragma once
#include "image/capture.h"

namespace inspect
{

// One sigma in grey levels; algorithm and source: vision/edges.h.
double pictureNoise(const image::Capture& capture);

} // namespace inspect
