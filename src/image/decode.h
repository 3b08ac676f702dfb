// decode.h - pictures from files and bytes, and PNG out.
//
// Input   PNG, JPEG and TIFF; 8 and 16 bit; grey, colour, palette. TIFF of one float (32 or 64 bit) or signed (16 or 32
//         bit) sample a pixel too: heights. Transparency is dropped. At most kLargestPicture pixels, kLongestSide a
//         side.
// Output  grey as Grey8/Grey16, colour as Colour8/Colour16, heights as Real32 with NaN where the sample is none, beyond
//         ±1e30, or what the file's GDAL_NODATA tag (42113) names; nothing is scaled or gamma corrected. The orientation a
//         TIFF or a JPEG's EXIF block states (1 to 8, TIFF 6.0) is followed: the first row is the upper one, the first
//         column the left one, as the camera was held.
// Fails   NotFound, Io: the file; Unsupported: not a picture of these kinds; OutOfRange: larger than
//         a bound, named with it; Corrupt: damaged, cut off, or stating more pixels than its bytes can hold, which is
//         looked at before memory is taken. No partial picture is ever returned.
// Cost    a file of 1 MB takes at most 3 GB and 8 s, whatever it states (tests/image_test.cpp, bench/fuzz_inputs.cpp).
// Source  libpng, libdeflate for the usual PNG file (png_rows.h), libjpeg-turbo, libtiff.
#pragma once
#include "base/result.h"
#include "image/image.h"

#include <string>

namespace image
{

constexpr long long kLargestPicture = 256'000'000; // pixels
constexpr long long kLongestSide = 200'000;        // pixels

base::Result<Image> decode(const std::string& bytes, const std::string& name);

// True when the file's name ends as a picture's does (.png .jpg .jpeg .tif .tiff, as a point cloud .ply .xyz; any case).
bool looksLikePicture(const std::string& path);

// Lossless. Level 1 is fast, 9 small. No time stamp: same picture, same bytes.
base::Result<std::string> encodePng(const Image& picture, int compression = 1);
// Lossless too, also of heights. Nothing but the picture is written.
base::Result<std::string> encodeTiff(const Image& picture);

} // namespace image
