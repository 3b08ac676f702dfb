// fuzz.h - random settings, regions, lists and inputs for every kind on random, blank, tiny and large pictures: always
// a result or a reason.
#pragma once
#include "demo/drawn_parts.h"
#include "drawing/dxf.h"
#include "support.h"

namespace fuzz
{
using geometry::Point;
using geometry::Region;
using namespace recipe;

inline image::Image picture(demo::Random& r, bool large)
{
    const int what = r.below(10);
    const int w = large ? 7071 : what == 0 ? 1 : 1 + r.below(220), h = large ? 7072 : what == 0 ? 1 : 1 + r.below(160);
    const auto format = std::array{image::PixelFormat::Grey8, image::PixelFormat::Grey16, image::PixelFormat::Colour8,
                                   image::PixelFormat::Colour16}[std::size_t(r.below(large ? 1 : 4))];
    image::Image p(w, h, format);
    if (what == 1 || what == 2) return p; // blank
    if (what < 6 || large) {              // shapes, so that something is found
        for (int n = 0; n < 1 + r.below(8); ++n) {
            const int x0 = r.below(w), y0 = r.below(h), x1 = std::min(w, x0 + 1 + r.below(large ? 900 : 90)),
                      y1 = std::min(h, y0 + 1 + r.below(large ? 900 : 70));
            const int level = r.below(256), bytes = int(p.rowBytes()) / w;
            for (int y = y0; y < y1; ++y) std::fill(p.row(y) + x0 * bytes, p.row(y) + x1 * bytes, std::uint8_t(level));
        }
        return p;
    }
    for (std::size_t i = 0; i < p.byteCount(); ++i) p.row(0)[i] = std::uint8_t(r.bits());
    return p;
}

// Heights of any kind: random, in steps, blank, all missing, holes, far from zero, with NaN and infinity.
inline image::Picture heights(demo::Random& r, int w, int h)
{
    const bool real = r.below(2);
    int what = r.below(6);
    if (what == 2 && w > 5000) what = 4; // millions of single points are no picture
    image::Image p(w, h, real ? image::PixelFormat::Real32 : image::PixelFormat::Grey16);
    const double far = r.below(5) == 0 ? r.uniform(-1e7, 1e7) : 0, size = r.uniform(0.01, 50);
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x) {
            double z = what == 0   ? 0
                       : what == 1 ? std::nan("")
                       : what == 2 ? r.uniform(-size, size)
                                   : size * ((x / 17 + y / 23) % 4) + 0.01 * x + (what == 5 ? r.uniform(-0.1, 0.1) : 0);
            if (what >= 3 && r.below(what == 3 ? 50 : 3) == 0) z = std::nan("");
            if (real) reinterpret_cast<float*>(p.row(y))[x] = float(z + far);
            else
                reinterpret_cast<std::uint16_t*>(p.row(y))[x] =
                    std::uint16_t(std::isnan(z) ? 0 : std::clamp(1 + 100 * (z + 60), 1.0, 65535.0));
        }
    image::HeightScale scale;
    if (!real) scale = {r.uniform(1e-4, 2), r.uniform(-100, 100), 0, 0, {}};
    if (r.below(2)) scale.pixelMm = r.uniform(0.001, 3);
    return image::makeHeights(std::move(p), scale, "z");
}
// Grey, or heights, or both on each other.
inline image::Capture capture(demo::Random& r, const StepKind& kind, const image::Image& grey, std::string id)
{
    std::vector<image::Picture> all;
    const bool wanted = !kind.pictures.empty() && kind.pictures.front().height;
    if (!wanted || r.below(2)) all.push_back(image::makePicture(grey.clone(), "grey"));
    if (wanted) all.push_back(heights(r, grey.width(), grey.height()));
    return {std::move(id), std::move(all)};
}

inline Region region(demo::Random& r, geometry::Shape shape, int w, int h)
{
    const auto at = [&] { return Point{r.uniform(-0.3 * w - 5, 1.3 * w + 5), r.uniform(-0.3 * h - 5, 1.3 * h + 5)}; };
    const double size = 1 + r.uniform(0, 1.2) * std::max(w, h);
    Region out;
    switch (shape) {
    case geometry::Shape::Window: out = Region::window(at(), at(), r.uniform(0.1, size)); break;
    case geometry::Shape::Rectangle:
        out = Region::rectangle(at(), r.uniform(0.1, size), r.uniform(0.1, size), r.uniform(-9, 9));
        break;
    case geometry::Shape::Circle: out = Region::circle(at(), r.uniform(0.1, size)); break;
    case geometry::Shape::Ring:
        out = Region::ring(at(), r.uniform(0, 0.5 * size), 0.5 * size + r.uniform(0.1, size));
        break;
    case geometry::Shape::Arc:
        out = Region::arc(at(), r.uniform(0, 0.5 * size), 0.5 * size + r.uniform(0.1, size), r.uniform(-9, 9),
                          r.uniform(0.01, 6.28));
        break;
    default: {
        std::vector<Point> p;
        for (int i = 0; i < 3 + r.below(9); ++i) p.push_back(at());
        out = shape == geometry::Shape::Polygon ? Region::polygon(p) : Region::polyline(p, r.uniform(0.1, 0.3 * size));
    }
    }
    return out.check() ? out : Region::circle({0, 0}, 3);
}

inline void randomSettings(demo::Random& r, Step& s, const StepKind& kind, int w, int h)
{
    for (const ParamSpec& p : kind.params) {
        if (r.below(3) == 0) continue; // the default
        Value v;
        if (const auto* real = std::get_if<Real>(&p.domain)) {
            const int how = r.below(6);
            v = how == 0   ? real->min
                : how == 1 ? real->max
                : how < 5  ? r.uniform(real->min, std::min(real->max, real->min + 60))
                           : r.uniform(real->min, real->max);
        } else if (const auto* whole = std::get_if<Whole>(&p.domain)) {
            const std::int64_t range = std::min<std::int64_t>(whole->max - whole->min + 1, 200);
            v = r.below(8) == 0 ? whole->max : whole->min + std::int64_t(r.below(int(range)));
        } else if (const auto* c = std::get_if<Choices>(&p.domain))
            v = c->all[std::size_t(r.below(int(c->all.size())))].key;
        else if (std::holds_alternative<Text>(p.domain)) {
            static const char* const pieces[] = {"[g]", "[c.radius]", "[g.areas]", "+", "-", "*", "/",   "(",
                                                 ")",   "sum(",       "count(",    "1", "0", " ", "not", "and",
                                                 "<",   "=",          ",",         "[", "]", "x", "é",   "element("};
            std::string text;
            for (int i = 0; i < r.below(12); ++i) text += pieces[std::size_t(r.below(int(std::size(pieces))))];
            v = text;
        } else v = r.below(2) == 1;
        p.put(s.params, v);
    }
    for (const RegionSpec& spec : kind.regions) {
        if (!spec.needed && r.below(3) == 0) continue;
        if (!spec.teaching && r.below(6) == 0) {
            s.regionsOf[spec.key] = {std::array{"g", "l", "c", "o", "nobody"}[std::size_t(r.below(5))],
                                     r.uniform(-10, 20)};
            continue;
        }
        s.regions[spec.key] = region(r, spec.shapes[std::size_t(r.below(int(spec.shapes.size())))], w, h);
    }
    for (const PointSpec& p : kind.points)
        if (r.below(2)) s.points[p.key] = {r.uniform(-20, w + 20.0), r.uniform(-20, h + 20.0)};
    if (kind.leavesOut)
        for (int i = 0; i < r.below(3); ++i)
            s.leaveOut.push_back(region(r, geometry::kAllShapes[std::size_t(1 + r.below(7))], w, h));
    if (kind.hasFilters)
        for (int i = 0; i < r.below(3); ++i) {
            const OutputSpec& o = kind.outputs[std::size_t(r.below(int(kind.outputs.size())))];
            if (o.list) s.filters.push_back({o.key, r.uniform(-5, 50), {}});
        }
    if (kind.hasSamples)
        for (int i = 0; i < r.below(4); ++i)
            s.samples.push_back({{r.uniform(0, w - 1.0), r.uniform(0, h - 1.0)}, r.below(3) == 0, {}});
    if (kind.hasPlaces)
        for (int i = 0; i < r.below(4); ++i) s.places.push_back({"p", {r.uniform(0, w), r.uniform(0, h)}});
    for (const InputSpec& in : kind.inputs)
        if (in.needed || r.below(2))
            s.inputs[in.key] = in.accepts.front() == FeatureType::Plane && r.below(4)
                                   ? "h"
                                   : std::array{"g", "l", "c", "o", "p", "e", "h"}[std::size_t(r.below(7))];
    if (kind.hasKinds)
        for (int i = 0; i < r.below(4); ++i)
            s.kinds.push_back({"k" + std::to_string(i),
                               r.uniform(-5, 5),
                               r.below(2) ? std::optional(r.uniform(5, 50)) : std::nullopt,
                               {},
                               r.below(2) ? std::optional(r.uniform(5, 5000)) : std::nullopt});
}

// Runs one random recipe; the text of what broke, empty when all is well.
inline std::string once(const StepKind& kind, std::uint64_t seed, bool large = false)
{
    demo::Random r(seed);
    const image::Image shown = picture(r, large);
    const int w = shown.width(), h = shown.height();
    Recipe recipe;
    if (r.below(4)) {
        recipe.reference.capture = std::make_shared<const image::Capture>(capture(r, kind, shown, "reference"));
        recipe.reference.fingerprint = seed;
    }
    switch (r.below(4)) {
    case 0: recipe.calibration = geometry::Calibration::factor(r.uniform(0.001, 2), ""); break;
    case 1: { // any lens, folding ones and those of another picture size too
        geometry::Calibration::Lens l;
        l.width = r.below(3) ? w : 640, l.height = r.below(3) ? h : 480;
        l.camera = {r.uniform(0.4, 6) * w, r.uniform(0.4, 6) * w,  r.uniform(0, w),
                    r.uniform(0, h),       r.uniform(-1, 1),       r.uniform(-1, 1),
                    r.uniform(-1, 1),      r.uniform(-0.02, 0.02), r.uniform(-0.02, 0.02)};
        l.plane.turn = {r.uniform(-0.9, 0.9), r.uniform(-0.9, 0.9), r.uniform(-4, 4)};
        l.plane.shift = {r.uniform(-90, 90), r.uniform(-90, 90), r.uniform(60, 900)};
        if (r.below(2)) l.covered = {{0, 0}, {w * 0.7, 0}, {w * 0.7, h * 0.7}};
        auto lens = geometry::Calibration::lens(l, "");
        if (lens.check()) recipe.calibration = lens;
        break;
    }
    default: break;
    }
    if (r.below(4) == 0) {
        recipe.empty.capture = std::make_shared<const image::Capture>(image::makeCapture(picture(r, false), "empty"));
        recipe.empty.fingerprint = seed;
    }
    const auto base = [&](const char* key, const char* id) {
        Step s = makeStep(recipe, *findKind(key));
        s.id = s.name = id;
        for (const RegionSpec& spec : findKind(key)->regions)
            if (spec.needed) s.regions[spec.key] = region(r, spec.shapes.front(), w, h);
        for (const ParamSpec& p : findKind(key)->params)
            if (p.key == "least_share" || p.key == "least_area" || p.key == "least_strength")
                p.put(s.params, std::get<Real>(p.domain).min);
        recipe.steps.push_back(std::move(s));
    };
    if (!kind.inputs.empty() || r.below(4) == 0 || kind.key == "formula") {
        base("blobs", "g"), base("line", "l"), base("circle", "c"), base("contour", "o"), base("edge_point", "p"),
            base("height_base", "h");
        if (kind.pictures.empty() || !kind.pictures.front().height) base("ellipse", "e");
    }
    // A drawing of about the picture's size, on a part of it or on nothing.
    std::optional<image::Image> drawnOn;
    if (kind.byDrawing && r.below(8)) {
        drawing::Drawing d = demo::drawnPart(r.below(demo::kDrawnParts));
        if (!recipe.calibrated())
            recipe.calibration =
                geometry::Calibration::factor(60.0 / std::max(16, std::min(w, h)) * r.uniform(0.5, 2), "");
        if (const auto bytes = drawing::writeDxf(d)) {
            recipe::DrawingSettings settings;
            if (r.below(8) == 0) settings.layersOff = {"outline"};
            if (auto asset = makeDrawing(settings, {"", "d.dxf", std::make_shared<const std::string>(*bytes)}, ""))
                recipe.drawing = *asset;
        }
        if (!kind.datum) base("drawing_datum", "d");
        if (recipe.drawing.outline && r.below(4) && w >= 100 && h >= 100 && !recipe.calibration.bends()) {
            const drawing::Laid laid{
                {{r.uniform(0, w), r.uniform(0, h)}, r.uniform(-3, 3)}, 1 / recipe.mmPerPixel(), r.below(8) == 0};
            const auto o = demo::outlinesOf(*recipe.drawing.outline, laid);
            demo::Random noise(seed);
            drawnOn = demo::backlit(demo::blurredCoverage(o.dark, o.holes, w, h, 0.8, 1), w, h,
                                    {200, 50, 0.1, 0, 0, r.uniform(0, 9)}, noise);
        }
    }
    Step s = makeStep(recipe, kind);
    s.id = "x";
    randomSettings(r, s, kind, w, h);
    if (kind.byDrawing && !kind.datum && r.below(8)) s.datum = "d";
    recipe.steps.push_back(s);
    const auto prepared = inspect::Prepared::make(recipe);
    if (!prepared) return prepared.error().message.empty() ? "no reason why it cannot be prepared" : "";
    const auto taken =
        drawnOn ? image::makeCapture(std::move(*drawnOn), "picture") : capture(r, kind, shown, "picture");
    const auto a = inspect::evaluate(*prepared, taken);
    if (a.items.empty()) return "no item";
    for (const auto& item : a.items)
        for (const auto& step : item.steps) {
            if (step->state != inspect::State::Ok && step->reason.empty()) return "neither a result nor a reason";
            for (const auto& o : step->outputs)
                for (const double v : o.values) {
                    const bool missing = o.list && std::isnan(v);
                    if (!std::isfinite(v) && !missing) return step->step + "." + o.name + " is not a finite number";
                }
            for (const auto& m : step->marks)
                for (const Point q : m.points)
                    if (!std::isfinite(q.x) || !std::isfinite(q.y)) return step->step + " leaves a mark at no place";
        }
    if (r.below(4) == 0) (void)inspect::evidence(*prepared, taken, a.items.front(), "x");
    return {};
}

} // namespace fuzz
