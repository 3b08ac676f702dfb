// patch.h - an area of the part cut out of a picture and laid as it lies on the reference, so that pictures of it can be
// compared pixel by pixel; how its light and its place differ from another one's.
//
// Input   a picture, a box of whole px on the reference, and where a place of the reference lies in the picture.
// Output  the box's pixels by bilinear interpolation; a box that is only shifted by whole px comes unchanged.
// Fails   nothing: what lies outside of the picture, or holds no point, is told as not seen.
// Accuracy  light: within a grey level, also with a tenth of the area changed; shift within 0.15 px on print
//           (tests/learned_test.cpp).
// Source  light: least squares with Tukey's weights (Holland and Welsch 1977); shift: Lucas and Kanade 1981 on a stack
//         of smaller pictures, the same weights.
// Cost    about 4 ns a pixel; a shift by whole px at memory speed.
#pragma once
#include "geometry/geometry.h"
#include "image/capture.h"

#include <array>
#include <functional>
#include <vector>

namespace vision
{

struct PatchBox {
    int left = 0, top = 0, width = 0, height = 0;
    std::size_t count() const { return std::size_t(width) * std::size_t(height); }
    friend bool operator==(const PatchBox&, const PatchBox&) = default;
};
// Reference px → picture px.
using Carry = std::function<geometry::Point(geometry::Point)>;

struct Patch {
    PatchBox box;
    image::Image pixels;              // Grey8, Grey16, Colour8, or Real32: heights in mm
    std::vector<std::uint8_t> unseen; // by pixel, 1: not seen; empty: all were

    Patch() = default;
    Patch(Patch&&) = default;
    Patch& operator=(Patch&&) = default;
    Patch(const Patch& p) : box(p.box), pixels(p.pixels.clone()), unseen(p.unseen) {}
    Patch& operator=(const Patch& p) { return *this = Patch(p); }
    bool colour() const { return pixels.format() == image::PixelFormat::Colour8; }
    bool heights() const { return pixels.format() == image::PixelFormat::Real32; }
    bool sees(std::size_t i) const { return unseen.empty() || !unseen[i]; }
    // Grey level, or mm.
    float level(std::size_t i) const;
    std::array<float, 3> rgb(std::size_t i) const; // 0 to 255
};
// `inColour`: of a colour picture its colours, else its grey.
Patch laid(const image::Picture& picture, bool inColour, const PatchBox& box, const Carry& carry);

// What the light did: level = gain × usual + offset. The gain lies between 1/2 and 2, the offset within 8 grey levels: what
// goes beyond is no light, and stays a difference.
enum class LightFollowed { AsItIs, Even, Uneven };
struct Light {
    // The gain in x and y, from -1 to 1 across the patch: 1, x, y, x², xy, y².
    std::array<double, 6> gain{1, 0, 0, 0, 0, 0};
    double offset = 0;
    // How much softer than usual it is seen: the share of a binomial blur of 3 × 3 px on top; below 0 sharper.
    double focus = 0;
    double white = 1e9; // level at which the picture is cut off; as it stands it is not looked at
    bool even() const { return gain[1] == 0 && gain[2] == 0 && gain[3] == 0 && gain[4] == 0 && gain[5] == 0; }
    double gainAt(double x, double y) const
    {
        return gain[0] + gain[1] * x + gain[2] * y + gain[3] * x * x + gain[4] * x * y + gain[5] * y * y;
    }
    // Along one row of a patch, in its columns: a + b·column + c·column².
    std::array<double, 3> along(int row, const PatchBox& box) const;
};
// `counts`: pixels that are looked at; empty: all. Of heights there is no light.
Light lightOf(const Patch& here, const std::vector<float>& usual, const std::vector<std::uint8_t>& counts,
              LightFollowed follow);

// How far what is shown in the patch lies beside where it lay in `usual`: here(p + shift) is usual(p). Not farther than
// `most` px; 0 where nothing shows it.
geometry::Point shiftOf(const Patch& here, const std::vector<float>& usual, const std::vector<std::uint8_t>& counts,
                        const Light& light, double most);

// Laid with its light and its shift known, one from the other in turns. `most` 0: it is not looked for beside its place.
struct Settled {
    Patch patch;
    Light light;
    geometry::Point shift; // reference px: what lies at p + shift usually lies at p
};
Settled settled(const image::Picture& picture, bool inColour, const PatchBox& box, const Carry& carry,
                const std::vector<float>& usual, const std::vector<std::uint8_t>& counts, LightFollowed follow,
                double most);

} // namespace vision
