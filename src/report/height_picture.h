// height_picture.h - heights as colours: even in lightness from low to high, hatched where no point was measured.
//
// Input   a height picture and the heights at both ends of the colours; beyond them the end's colour. Values are never
//         touched by it.
// Output  a picture pixel for pixel; contour lines on demand.
#pragma once
#include "image/capture.h"

#include <QImage>
#include <optional>

namespace report
{

struct HeightRange {
    double low = 0, high = 1; // mm
    friend bool operator==(const HeightRange&, const HeightRange&) = default;
};
// Nearly all points, without the lowest 1 % and the highest 0.4 %; where ground lies far below a part, with nothing between, those of the
// part. Nothing when no point was measured.
std::optional<HeightRange> usualRange(const image::Picture& heights);
// Of all its points.
std::optional<HeightRange> wholeRange(const image::Picture& heights);
double coveredShare(const image::Picture& heights); // percent
QRgb heightColour(double share);                    // 0 the lowest, 1 the highest
constexpr QRgb kNoPoint = 0xfffbfaf6, kNoPointLine = 0xff6f6b62;
// Heights between two contour lines: about a dozen of them, a round figure.
double contourStep(const HeightRange& range);
QImage heightImage(const image::Picture& heights, const HeightRange& range, bool contours = false);

} // namespace report
