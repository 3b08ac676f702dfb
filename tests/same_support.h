// same_support.h - print and components with known differences, seen at any place, angle, light and blur.
#pragma once
#include "demo/painted.h"
#include "support.h"

namespace support
{

// Bars, rings and dots as they are printed on a label, about the middle of the picture, px.
struct Print {
    std::vector<demo::Ink> inks;
};
inline std::vector<geometry::Point> bar(geometry::Point c, double w, double h, double angle = 0)
{
    const auto r = geometry::Region::rectangle(c, w, h, angle);
    return r.outlines().front();
}
inline Print labelPrint(std::uint64_t seed, int width = 360, int height = 260)
{
    demo::Random random(seed);
    Print p;
    p.inks.push_back({{225, 220, 205}, {bar({0, 0}, width * 0.82, height * 0.8)}});
    demo::Ink dark{{40, 45, 60}, {}}, blue{{30, 70, 150}, {}}, red{{170, 40, 50}, {}};
    for (int row = -3; row <= 3; ++row)
        for (int k = -5; k <= 5; ++k) {
            const geometry::Point at{k * width * 0.068 + random.uniform(-1, 1), row * height * 0.1};
            demo::Ink& ink = row == 3 ? red : (row + k) % 3 == 0 ? blue : dark;
            if (random.below(3)) ink.shapes.push_back(bar(at, random.uniform(5, 18), random.uniform(3, 9)));
            else ink.shapes.push_back(demo::circleOutline(at, random.uniform(3, 6)));
        }
    p.inks.push_back(dark), p.inks.push_back(blue), p.inks.push_back(red);
    return p;
}
struct SeenAs {
    geometry::Point at{}; // from the picture's middle
    double angle = 0;     // radians
    demo::PaintLook look{};
    std::vector<demo::Ink> more{}; // on the part: faults, in the part's px
    geometry::Point drift{};       // of the print, not of `more`
};
inline image::Image seenAs(const Print& print, const SeenAs& s, int width, int height, std::uint64_t seed, bool colour)
{
    const geometry::Pose pose{geometry::Point{(width - 1) / 2.0, (height - 1) / 2.0} + s.at, s.angle};
    std::vector<demo::Ink> inks;
    const auto carry = [&](demo::Ink ink, geometry::Point by) {
        for (auto* shapes : {&ink.shapes, &ink.holes})
            for (auto& o : *shapes)
                for (auto& q : o) q = pose.toPicture(q + by);
        inks.push_back(std::move(ink));
    };
    for (const auto& ink : print.inks) carry(ink, &ink == &print.inks.front() ? geometry::Point{} : s.drift);
    for (const auto& ink : s.more) carry(ink, {});
    demo::Random random(seed);
    return demo::painted({70, 74, 80}, inks, width, height, s.look, random, colour);
}
inline SeenAs anyLook(demo::Random& random, double place = 12, double turn = 0.1)
{
    SeenAs s;
    s.at = {random.uniform(-place, place), random.uniform(-place, place)};
    s.angle = random.uniform(-turn, turn);
    s.look.light = random.uniform(0.85, 1.15);
    s.look.blur = random.uniform(0.6, 1.2);
    s.look.noise = random.uniform(1, 3);
    return s;
}
inline geometry::Motion motionTo(const SeenAs& s, int width, int height)
{
    const geometry::Point middle{(width - 1) / 2.0, (height - 1) / 2.0};
    return geometry::Motion{{middle, 0}, {middle + s.at, s.angle}};
}

// A recipe whose first step finds the label by its outline; steps that follow it have its id, "A".
inline recipe::Recipe labelRecipe(const Print& print, int width, int height, bool colour)
{
    recipe::Recipe r;
    const auto png = image::encodePng(seenAs(print, {}, width, height, 1, colour));
    auto asset = recipe::makeAsset("reference.png", *png, "reference.png");
    if (!asset) qFatal("%s", asset.error().text().c_str());
    r.reference = *asset;
    chain(r, "pattern", "A", [&](recipe::Step& s) {
        const geometry::Point middle{(width - 1) / 2.0, (height - 1) / 2.0};
        s.letter = "A";
        s.regions["part"] = geometry::Region::rectangle(middle, width * 0.8, height * 0.8);
        s.points["origin"] = middle;
        // By its outline: the print may lie elsewhere on it.
        s.leaveOut.push_back(geometry::Region::rectangle(middle, 270, 184));
        put(s, "least_score", 0.5);
    });
    return r;
}
inline void learnFrom(recipe::Recipe& r, image::Image picture, const std::string& name,
                      std::vector<recipe::LearnedSample::Bare> bare = {})
{
    auto asset = recipe::makeAsset(name, *image::encodePng(picture), name);
    if (!asset) qFatal("%s", asset.error().text().c_str());
    r.samples.push_back({*asset, std::move(bare)});
}

} // namespace support
