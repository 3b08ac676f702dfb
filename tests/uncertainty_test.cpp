// uncertainty_test.cpp - what a value says of its own uncertainty against how it truly scatters when only the noise is
// another one: the same scene, many times.
#include "steps/blobs/blobs.h"
#include "steps/circle/circle.h"
#include "steps/edge_pair/edge_pair.h"
#include "steps/edge_point/edge_point.h"
#include "steps/formula/formula.h"
#include "steps/line/line.h"
#include "steps/position/position.h"
#include "support.h"

#include <cmath>

using namespace recipe;
using geometry::Point;
using geometry::Region;
using support::chain;

namespace
{
constexpr int kW = 300, kH = 220;
int takes()
{
    const int n = qEnvironmentVariableIntValue("DIKKAT_TAKES");
    return n > 0 ? n : 64;
}
// A bar with slanting ends and two discs, dark on bright.
std::vector<float> scene(double blur)
{
    const Point c{150.3, 60.7};
    const auto turned = [&](double x, double y) {
        return c + Point{x * std::cos(0.09) + y * std::sin(0.09), -x * std::sin(0.09) + y * std::cos(0.09)};
    };
    std::vector<std::vector<Point>> dark{{turned(-100, -25), turned(100, -25), turned(100, 25), turned(-84, 25)},
                                         demo::circleOutline({80.4, 160.2}, 26.3),
                                         demo::circleOutline({215.7, 158.6}, 22.8)};
    return demo::blurredCoverage(dark, {}, kW, kH, blur, 4);
}
image::Image taken(const std::vector<float>& coverage, double contrast, double noise, std::uint64_t seed)
{
    demo::Random random(seed);
    image::Image out(kW, kH, image::PixelFormat::Grey8);
    for (int y = 0; y < kH; ++y)
        for (int x = 0; x < kW; ++x) {
            const double level = 128 + contrast / 2 - contrast * double(coverage[std::size_t(y) * kW + std::size_t(x)]);
            out.row(y)[x] =
                std::uint8_t(std::clamp(std::floor(level + random.normal(noise, 5 * noise) + 0.5), 0.0, 255.0));
        }
    return out;
}
Recipe measuring(double contrast, double noise)
{
    Recipe r;
    const double least = std::max(4.0, 0.35 * contrast);
    const auto fit = [&](steps::FitSettings& p) {
        p.leastStrength = least, p.windowWidth = 5, p.windows = 24, p.reach = 3, p.leastShare = 30;
    };
    chain(r, "edge_pair", "pair", [&](Step& s) {
        steps::EdgePairParams p;
        p.leastStrength = least;
        s.params = p;
        s.regions["window"] = Region::window({148, 18}, {152, 104}, 21);
    });
    chain(r, "edge_point", "edge", [&](Step& s) {
        steps::EdgePointParams p;
        p.leastStrength = least, p.which = vision::Pick::Strongest;
        s.params = p;
        s.regions["window"] = Region::window({30, 68}, {80, 64}, 15);
    });
    const auto line = [&](const char* id, Point from, Point to) {
        chain(r, "line", id, [&](Step& s) {
            steps::LineParams p;
            fit(p);
            s.params = p;
            s.regions["window"] = Region::window(from, to, 24);
        });
    };
    line("top", {70, 42}, {228, 28}), line("left", {49.5, 46}, {66, 90});
    const auto circle = [&](const char* id, Point c, double radius) {
        chain(r, "circle", id, [&](Step& s) {
            steps::CircleParams p;
            fit(p);
            s.params = p;
            s.regions["ring"] = Region::ring(c, radius - 12, radius + 12);
        });
    };
    circle("a", {80, 160}, 26), circle("b", {216, 159}, 23);
    chain(r, "distance", "apart", [](Step& s) { s.inputs = {{"first", "a"}, {"second", "b"}}; });
    chain(r, "distance", "under", [](Step& s) { s.inputs = {{"first", "a"}, {"second", "top"}}; });
    chain(r, "angle", "corner", [](Step& s) { s.inputs = {{"first", "top"}, {"second", "left"}}; });
    chain(r, "crossing", "tip", [](Step& s) { s.inputs = {{"first", "top"}, {"second", "left"}}; });
    chain(r, "midpoint", "between", [](Step& s) { s.inputs = {{"first", "a"}, {"second", "b"}}; });
    chain(r, "position", "place", [](Step& s) {
        steps::PositionParams p;
        p.x = 78, p.y = -158;
        s.params = p;
        s.inputs["of"] = "a";
    });
    chain(r, "formula", "sum", [](Step& s) {
        steps::FormulaParams p;
        p.expression = "[pair.distance] + 2 * [a.radius] - [apart]", p.unit = steps::FormulaUnit(2);
        s.params = p;
    });
    // It shares the circle with what it is made of: 4 times its radius less its own diameter.
    chain(r, "formula", "twice", [](Step& s) {
        steps::FormulaParams p;
        p.expression = "4 * [a.radius] - [a.diameter]", p.unit = steps::FormulaUnit(2);
        s.params = p;
    });
    if (contrast / 2 > 4 * noise)
        chain(r, "blobs", "discs", [&](Step& s) {
            steps::BlobsParams p;
            p.mode = steps::TakeBy::Fixed, p.low = 0, p.high = 127.5, p.leastArea = 200;
            s.params = p;
            s.regions["region"] = Region::rectangle({150, 160}, 280, 100);
        });
    return r;
}
} // namespace

class UncertaintyTest : public QObject
{
    Q_OBJECT
private slots:
    void statedIsWhatIsSeen_data()
    {
        QTest::addColumn<double>("noise");
        QTest::addColumn<double>("blur");
        QTest::addColumn<double>("contrast");
        for (const double noise : {2.0, 4.0, 8.0})
            for (const double blur : {0.6, 1.2, 2.0})
                for (const double contrast : {30.0, 80.0, 150.0})
                    QTest::addRow("noise %g blur %g contrast %g", noise, blur, contrast) << noise << blur << contrast;
    }
    void statedIsWhatIsSeen()
    {
        QFETCH(double, noise);
        QFETCH(double, blur);
        QFETCH(double, contrast);
        const auto prepared = inspect::Prepared::make(measuring(contrast, noise));
        QVERIFY(prepared.has_value());
        const auto coverage = scene(blur);
        struct Seen {
            std::vector<double> values, stated;
        };
        std::map<std::string, Seen> seen;
        const int n = takes();
        int lost = 0;
        for (int i = 0; i < n; ++i) {
            const auto r = inspect::evaluate(
                *prepared, support::captureOf(taken(coverage, contrast, noise, std::uint64_t(i) + 1)));
            for (const auto& s : r.items.at(0).steps) {
                if (s->state != inspect::State::Ok) {
                    ++lost;
                    continue;
                }
                for (const auto& [output, spreads] : s->spreads) {
                    const auto* v = s->output(output);
                    if (!v || v->values.size() != spreads.size()) continue;
                    for (std::size_t k = 0; k < std::min<std::size_t>(2, spreads.size()); ++k) {
                        if (!spreads[k].known) continue;
                        Seen& one = seen[s->step + "." + output + (v->list ? "#" + std::to_string(k) : "")];
                        one.values.push_back(v->values[k]), one.stated.push_back(spreads[k].sigma());
                    }
                }
            }
        }
        // What stood aside now and then is told by its middle: an edge that noise made is none of the scatter.
        int judged = 0;
        QString all;
        QStringList off1;
        for (auto& [what, s] : seen) {
            if (int(s.values.size()) < n * 9 / 10) continue;
            std::vector<double> sorted = s.values;
            std::sort(sorted.begin(), sorted.end());
            const double middle = sorted[sorted.size() / 2];
            double observed = 0, stated = 0, count = 0;
            std::vector<double> off;
            for (const double v : s.values) off.push_back(std::abs(v - middle));
            std::nth_element(off.begin(), off.begin() + std::ptrdiff_t(off.size() / 2), off.end());
            const double far = 6 * 1.4826 * off[off.size() / 2] + 1e-9;
            for (std::size_t i = 0; i < s.values.size(); ++i) {
                if (std::abs(s.values[i] - middle) > far) continue;
                observed += (s.values[i] - middle) * (s.values[i] - middle), stated += s.stated[i] * s.stated[i],
                    ++count;
            }
            observed = std::sqrt(observed / count), stated = std::sqrt(stated / count);
            if (!(observed > 1e-6)) continue;
            ++judged;
            const double ratio = stated / observed;
            all += QString("%1 %2  ").arg(QString::fromStdString(what)).arg(ratio, 0, 'f', 2);
            // So few takes know the scatter to within a tenth only.
            const double room = 1.25 * (1 + 2.5 / std::sqrt(2.0 * n));
            if (n < 1000 ? ratio < 1 / room || ratio > room : ratio < 0.8 || ratio > 1.25)
                off1 << QString::fromStdString(what) + QString(" %1").arg(ratio, 0, 'f', 2);
        }
        qInfo("%s (%d lost)", qPrintable(all), lost);
        QVERIFY2(off1.isEmpty(), qPrintable(off1.join(", ")));
        QVERIFY(judged >= 10);
    }
};

QTEST_GUILESS_MAIN(UncertaintyTest)
#include "uncertainty_test.moc"
