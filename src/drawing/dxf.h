// dxf.h - reads and writes drawings as DXF, text form.
//
// Input   R12 and newer. Lines, arcs, circles, ellipses, polylines of both kinds with bulges, splines by control points,
//         blocks placed, nested, scaled, mirrored and turned, in rows and columns. Model only, seen from above.
// Output  lines and arcs in mm. What is neither is replaced by pieces that stay within `kChordError`. Whatever else
//         the file holds is counted in `notRead` by type and layer.
// Fails   InvalidArgument: no DXF, the binary form, a count that cannot be, blocks that place themselves; NotFound: no
//         geometry that can be read; OutOfRange: more than `kMostElements`, or places beyond 1e7 mm.
// Accuracy  pieces within 0.5 µm of their curve (tests/drawing_test.cpp).
// Source  the package for the format; rational splines by de Boor's recursion; conics under a placing by their
//         conjugate radii.
// Cost    100 000 entities in about a second.
#pragma once
#include "base/result.h"
#include "drawing/drawing.h"

#include <optional>

namespace drawing
{

constexpr double kChordError = 0.0005; // mm
constexpr std::size_t kMostElements = 2'000'000;

// `unit`: what a unit of the file is, when the file is not to be believed.
base::Result<Drawing> readDxf(const std::string& bytes, std::optional<LengthUnit> unit = {});
// In mm, as R2000; layers as the drawing has them. Fails with Io when no working file can be written.
base::Result<std::string> writeDxf(const Drawing& drawing);

} // namespace drawing
