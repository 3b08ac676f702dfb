// drawn_support.h - recipes with a drawing and pictures of parts with it.
#pragma once
#include "demo/drawn_parts.h"
#include "drawing/dxf.h"
#include "support.h"

namespace support
{

inline recipe::Asset drawingAsset(const drawing::Drawing& d, const recipe::DrawingSettings& settings = {})
{
    auto bytes = drawing::writeDxf(d);
    if (!bytes) qFatal("%s", bytes.error().text().c_str());
    auto asset = recipe::makeDrawing(settings, {"", "part.dxf", std::make_shared<const std::string>(std::move(*bytes))},
                                     "part.dxf");
    if (!asset) qFatal("%s", asset.error().text().c_str());
    return *asset;
}
// A calibrated recipe whose first step "A" lays the drawing.
inline recipe::Recipe drawnRecipe(const drawing::Drawing& d, double mmPerPixel,
                                  const std::function<void(recipe::Step&)>& edit = {})
{
    recipe::Recipe r;
    r.calibration = geometry::Calibration::factor(mmPerPixel, "stated");
    r.drawing = drawingAsset(d);
    chain(r, "drawing_datum", "A", [&](recipe::Step& s) {
        s.letter = "A";
        if (edit) edit(s);
    });
    return r;
}
template <class P> P& paramsOf(recipe::Step& s) { return std::any_cast<P&>(s.params); }

struct DrawnPicture {
    drawing::Laid laid;
    image::Image picture;
};
struct Look {
    double blur = 0.8, noise = 2;
    bool dark = true;
    std::vector<std::vector<geometry::Point>> over{}; // of the material's level, px
    std::vector<std::vector<geometry::Point>> gone{}; // of the ground's
    int width = 900, height = 700;
};
inline image::Image pictureOf(const std::vector<std::pair<drawing::Outline, drawing::Laid>>& parts, const Look& look,
                              std::uint64_t seed)
{
    std::vector<std::vector<geometry::Point>> dark = look.over, holes = look.gone;
    for (const auto& [outline, laid] : parts) {
        auto o = demo::outlinesOf(outline, laid);
        for (auto& p : o.dark) dark.push_back(std::move(p));
        for (auto& p : o.holes) holes.push_back(std::move(p));
    }
    demo::Random random(seed);
    demo::Light light{200, 50, 0.05, 0.02, -0.015, look.noise};
    if (!look.dark) std::swap(light.bright, light.dark);
    return demo::backlit(demo::blurredCoverage(dark, holes, look.width, look.height, look.blur, 2), look.width,
                         look.height, light, random);
}
// Anywhere in the picture, wholly inside.
inline drawing::Laid anywhere(const drawing::Outline& o, double mmPerPixel, const Look& look, demo::Random& r)
{
    const double px = 1 / mmPerPixel, half = o.size() / 2 * px + 8;
    drawing::Laid laid{{{0, 0}, r.uniform(-geometry::kPi, geometry::kPi)}, px, false};
    const auto& b = o.box();
    const geometry::Point middle = drawing::sheet({(b.left + b.right) / 2, (b.bottom + b.top) / 2});
    const geometry::Point at{r.uniform(half, look.width - half), r.uniform(half, look.height - half)};
    laid.pose.origin = at - laid.toPicture(middle);
    return laid;
}
inline drawing::Outline outlineOf(const drawing::Drawing& d)
{
    auto o = drawing::Outline::make(d);
    if (!o) qFatal("%s", o.error().text().c_str());
    return *o;
}

} // namespace support
