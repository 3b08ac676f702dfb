// support.h - what several tests share: a small field of view of the demo, a recipe in it, waiting.
#pragma once
#include "demo/reed_plate.h"
#include "image/decode.h"
#include "inspect/inspect.h"
#include "recipe/recipe_file.h"

#include <QtTest>
#include <set>

namespace support
{

// A quarter of the demo's resolution: fast, and every step still works.
inline demo::Field smallField() { return {816, 683, 0.156}; }

// Demo pictures and recipe in a folder; the recipe's path.
inline std::string writeDemo(const QTemporaryDir& dir, int count, std::uint64_t seed = 1)
{
    const auto ok = demo::writeReedPlates(dir.path().toStdString(), seed, count, smallField());
    if (!ok) qFatal("%s", ok.error().text().c_str());
    return dir.filePath("reed-plate.dikkat").toStdString();
}
inline image::Capture captureOf(image::Image picture, const std::string& id = "test")
{
    return image::makeCapture(std::move(picture), id);
}

// Dark outlines on a bright ground.
inline image::Image draw(const std::vector<std::vector<geometry::Point>>& dark, int w, int h,
                         const std::vector<std::vector<geometry::Point>>& holes = {}, double noise = 2)
{
    demo::Random random(5);
    return demo::backlit(demo::blurredCoverage(dark, holes, w, h, 0.8, 2), w, h, {200, 50, 0, 0, 0, noise}, random);
}
inline std::vector<geometry::Point> box(double left, double top, double right, double bottom)
{
    return {{left, top}, {right, top}, {right, bottom}, {left, bottom}};
}

// Runs one step kind alone on a picture, fixed to it, with default settings edited by `edit`.
inline inspect::PictureResult runStep(const std::string& kind, image::Image picture,
                                      const std::function<void(recipe::Step&)>& edit, double mmPerPixel = 0)
{
    recipe::Recipe r;
    r.calibration = geometry::Calibration::factor(mmPerPixel, "");
    recipe::Step s = recipe::makeStep(r, *recipe::findKind(kind));
    edit(s);
    r.steps.push_back(s);
    auto prepared = inspect::Prepared::make(r);
    if (!prepared) qFatal("%s", prepared.error().text().c_str());
    return inspect::evaluate(*prepared, captureOf(std::move(picture)));
}
// Appends a step of this kind with default settings edited by `edit`; the recipe is run by runChain().
template <class F> void chain(recipe::Recipe& r, const std::string& kind, const std::string& id, F edit)
{
    recipe::Step s = recipe::makeStep(r, *recipe::findKind(kind));
    s.id = s.name = id;
    edit(s);
    r.steps.push_back(std::move(s));
}
inline inspect::PictureResult runChain(const recipe::Recipe& r, image::Image picture)
{
    auto prepared = inspect::Prepared::make(r);
    if (!prepared) qFatal("%s", prepared.error().text().c_str());
    return inspect::evaluate(*prepared, captureOf(std::move(picture)));
}
inline inspect::State state(const inspect::PictureResult& r, const std::string& step)
{
    return r.items.front().step(step)->state;
}
inline double value(const inspect::PictureResult& r, const std::string& step, const std::string& output)
{
    const auto* o = r.items.front().step(step)->output(output);
    return o && !o->values.empty() ? o->values.front() : std::nan("");
}
inline double value(const inspect::PictureResult& r, const std::string& output)
{
    const auto* o = r.items.front().steps.back()->output(output);
    return o && !o->values.empty() ? o->values.front() : std::nan("");
}
inline std::string reason(const inspect::PictureResult& r) { return r.items.front().steps.back()->reason; }
template <class T> void put(recipe::Step& s, const std::string& key, T v)
{
    const recipe::ParamSpec* p = recipe::findKind(s.kind)->param(key);
    if (auto ok = p->check(v); !ok) qFatal("%s", ok.error().text().c_str());
    p->put(s.params, v);
}
template <class F> bool waitFor(F done, int milliseconds = 30000)
{
    QElapsedTimer t;
    t.start();
    while (!done() && t.elapsed() < milliseconds) QTest::qWait(10);
    return done();
}
// Waits until the count has stood still for a second, and returns it.
template <class F> auto atRest(F count)
{
    auto n = count();
    for (int still = 0; still < 10;) {
        QTest::qWait(100);
        const auto now = count();
        still = now == n ? still + 1 : 0;
        n = now;
    }
    return n;
}

} // namespace support
