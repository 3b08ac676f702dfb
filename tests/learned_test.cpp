#include "vision/learned.h"

#include "same_support.h"
#include "vision/colour.h"
#include "vision/simd/kernels.h"

using namespace support;
using geometry::Point;
using vision::Learned;
using vision::LearnOptions;
using vision::Light;
using vision::LightFollowed;
using vision::Patch;
using vision::PatchBox;

namespace
{
constexpr int kW = 420, kH = 320;
constexpr PatchBox kBox{50, 50, 320, 220};

Patch patchOf(const SeenAs& s, const image::Image& picture, bool colour)
{
    const auto motion = motionTo(s, kW, kH);
    return vision::laid(image::makePicture(picture.clone()), colour, kBox, [&](Point p) { return motion.carry(p); });
}
struct Set {
    Print print = labelPrint(7);
    std::vector<Patch> good;
};
Set goodSet(int n, bool colour, std::uint64_t seed = 3)
{
    Set set;
    demo::Random random(seed);
    for (int i = 0; i < n; ++i) {
        const SeenAs s = i == 0 ? SeenAs{} : anyLook(random);
        set.good.push_back(patchOf(s, seenAs(set.print, s, kW, kH, seed + std::uint64_t(i) * 17, colour), colour));
    }
    return set;
}
std::vector<float> levelsOf(const Patch& p)
{
    std::vector<float> v(p.box.count());
    for (std::size_t i = 0; i < v.size(); ++i) v[i] = p.level(i);
    return v;
}
} // namespace

class LearnedTest : public QObject
{
    Q_OBJECT
private slots:
    void aShiftByWholePixelsComesUnchanged()
    {
        const auto picture = image::makePicture(seenAs(labelPrint(1), {}, kW, kH, 5, true));
        for (const bool colour : {false, true}) {
            const Patch a = vision::laid(picture, colour, {20, 30, 90, 70}, [](Point p) { return p + Point{7, -4}; });
            QVERIFY(a.unseen.empty());
            const image::Image& from = colour ? picture.pixels : picture.levels();
            const int n = image::channels(from.format());
            for (int y = 0; y < 70; ++y)
                QVERIFY(std::equal(a.pixels.row(y), a.pixels.row(y) + 90 * n, from.row(y + 26) + 27 * n));
            // By interpolation it is the same to the last bit or next to it.
            const Patch b = vision::laid(picture, colour, {20, 30, 90, 70}, [](Point p) {
                return p + Point{7 + 1e-6, -4};
            });
            for (std::size_t i = 0; i < b.box.count(); ++i) QVERIFY(std::abs(a.level(i) - b.level(i)) <= 1.0f);
        }
    }
    void whatLiesOutsideIsNotSeen()
    {
        const auto picture = image::makePicture(seenAs(labelPrint(1), {}, kW, kH, 5, false));
        const Patch p = vision::laid(picture, false, {0, 0, 50, 40}, [](Point q) { return q - Point{10, 0}; });
        for (int y = 0; y < 40; ++y)
            for (int x = 0; x < 50; ++x) QCOMPARE(p.sees(std::size_t(y * 50 + x)), x >= 10);
    }
    void lightIsFound_data()
    {
        QTest::addColumn<double>("light");
        QTest::addColumn<double>("slope");
        QTest::addColumn<bool>("covered");
        for (const double light : {0.7, 0.9, 1.15})
            for (const double slope : {0.0, 0.2})
                for (const bool covered : {false, true})
                    QTest::addRow("%g %g %d", light, slope, covered) << light << slope << covered;
    }
    void lightIsFound()
    {
        QFETCH(double, light);
        QFETCH(double, slope);
        QFETCH(bool, covered);
        const Print print = labelPrint(4);
        const Patch usual = patchOf({}, seenAs(print, {}, kW, kH, 1, false), false);
        SeenAs s;
        s.look.light = light, s.look.slopeX = slope;
        if (covered) s.more.push_back({{10, 10, 10}, {bar({60, 30}, 90, 80)}}); // a tenth of the box
        const Patch here = patchOf(s, seenAs(print, s, kW, kH, 2, false), false);
        const Light found =
            vision::lightOf(here, levelsOf(usual), {}, slope == 0 ? LightFollowed::Even : LightFollowed::Uneven);
        if (slope == 0)
            for (const double u : {40.0, 120.0, 210.0})
                // White is cut off at 255.
                QVERIFY2(std::abs(found.gainAt(0, 0) * u + found.offset - light * u) < (light > 1 ? 2 : 1),
                         QByteArray::number(found.gainAt(0, 0)));
        if (slope != 0) {
            // Across the box the light changes as it does across the picture.
            const double rise = found.gainAt(1, 0) / found.gainAt(-1, 0);
            const double l = kBox.left, r = kBox.left + kBox.width - 1.0;
            const double truth = (1 + slope * (r - kW / 2.0) / kW) / (1 + slope * (l - kW / 2.0) / kW);
            QVERIFY2(std::abs(rise / truth - 1) < 0.02, QByteArray::number(rise / truth));
        }
        QVERIFY(std::abs(found.offset) < 4);
    }
    void shiftsOfPrintAreFound()
    {
        const Print print = labelPrint(9);
        const Patch usual = patchOf({}, seenAs(print, {}, kW, kH, 1, false), false);
        // The print alone: the label's own rim stays where it is.
        std::vector<std::uint8_t> counts(kBox.count(), 0);
        for (int y = 18; y < kBox.height - 18; ++y)
            for (int x = 24; x < kBox.width - 24; ++x) counts[std::size_t(y * kBox.width + x)] = 1;
        demo::Random random(11);
        double worst = 0;
        for (int n = 0; n < 20; ++n) {
            SeenAs s;
            s.drift = {random.uniform(-7, 7), random.uniform(-7, 7)};
            s.look.light = random.uniform(0.85, 1.15), s.look.blur = random.uniform(0.6, 1.2);
            if (n % 2) s.more.push_back({{10, 10, 10}, {bar({60, 30}, 70, 60)}});
            const auto picture = image::makePicture(seenAs(print, s, kW, kH, std::uint64_t(n) + 40, false));
            const auto here = vision::settled(
                picture, false, kBox, [](Point p) { return p; }, levelsOf(usual), counts, LightFollowed::Even, 12);
            worst = std::max(worst, geometry::distance(here.shift, s.drift));
        }
        qInfo("worst shift %.4f px", worst);
        QVERIFY2(worst < 0.15, QByteArray::number(worst));
        QCOMPARE(vision::shiftOf(usual, levelsOf(usual), {}, {}, 0), Point());
    }
    void theUsualValueIsTheMedian()
    {
        // Nine flat patches: one of them wild.
        std::vector<Patch> good;
        for (int i = 0; i < 9; ++i) {
            Patch p;
            p.box = {0, 0, 40, 30};
            p.pixels = image::Image(40, 30, image::PixelFormat::Grey8);
            for (std::size_t k = 0; k < p.box.count(); ++k) p.pixels.row(0)[k] = i == 4 ? 250 : std::uint8_t(96 + i);
            good.push_back(std::move(p));
        }
        LearnOptions o;
        o.light = LightFollowed::AsItIs, o.least = 1, o.spreads = 3;
        const auto l = Learned::make(good, {}, o);
        QVERIFY(l);
        QCOMPARE(l->levels()[77], 101.0f);
        // Deviations 5 4 3 2 149 0 1 2 3: median 3.
        QVERIFY(std::abs(double(l->allowed(77)) - 3 * 1.4826 * 1.107 * 3) < 0.02);
        QVERIFY(l->own()[4] > 5 && l->own()[0] < 1);
    }
    void goodOnesPassAndFaultsDoNot_data()
    {
        QTest::addColumn<bool>("colour");
        QTest::newRow("grey") << false;
        QTest::newRow("colour") << true;
    }
    void goodOnesPassAndFaultsDoNot()
    {
        QFETCH(bool, colour);
        const Set set = goodSet(8, colour);
        LearnOptions o;
        o.least = colour ? 5 : 10, o.edge = 0.4;
        const auto l = Learned::make(set.good, {}, o);
        QVERIFY(l);
        demo::Random random(99);
        double worst = 0;
        for (int n = 0; n < 25; ++n) {
            const SeenAs s = anyLook(random);
            const Patch here = patchOf(s, seenAs(set.print, s, kW, kH, 500 + std::uint64_t(n), colour), colour);
            const Light light = l->light(here);
            const auto d = vision::differ(*l, here, light);
            worst = std::max(worst, d.worst);
            QVERIFY2(vision::places(*l, here, light, d, 4).empty(), QByteArray::number(d.worst));
        }
        qInfo("good ones: worst ratio of a pixel %.3f", worst);
        // A blot, a scratch, a missing piece, a pale piece: each is one place, where it is.
        const struct {
            demo::Ink ink;
            Point at;
            bool brighter;
        } faults[] = {{{{60, 50, 50}, {demo::circleOutline({-120, -95}, 4)}}, {-120, -95}, false},
                      {{{250, 250, 245}, {bar({20, 12}, 60, 2.4, 0.4)}}, {20, 12}, true},
                      {{{225, 220, 205}, {bar(colour ? Point{0, 78} : Point{0, 78}, 30, 26)}}, {0, 78}, true}};
        for (const auto& f : faults) {
            SeenAs s = anyLook(random);
            s.more.push_back(f.ink);
            const Patch here = patchOf(s, seenAs(set.print, s, kW, kH, 900, colour), colour);
            const Light light = l->light(here);
            const auto d = vision::differ(*l, here, light);
            const auto found = vision::places(*l, here, light, d, 4);
            QVERIFY(!found.empty());
            const Point truth =
                Point{(kW - 1) / 2.0, (kH - 1) / 2.0} + f.at - Point{double(kBox.left), double(kBox.top)};
            double nearest = 1e9;
            for (const auto& p : found) nearest = std::min(nearest, geometry::distance(p.centre, truth));
            QVERIFY2(nearest < 30, QByteArray::number(nearest));
            QVERIFY(found.front().worst > 1.5);
        }
    }
    void focusAndWhiteAreNoFaults_data() { goodOnesPassAndFaultsDoNot_data(); }
    void focusAndWhiteAreNoFaults()
    {
        QFETCH(bool, colour);
        // Learned all at one focus, on paper that is nearly white.
        Print print = labelPrint(7);
        print.inks.front().colour = {246, 246, 244};
        const auto look = [&](double blur, double light, std::vector<demo::Ink> more, std::uint64_t seed) {
            SeenAs s;
            s.look.blur = blur, s.look.light = light, s.look.noise = 1.5;
            s.more = std::move(more);
            return patchOf(s, seenAs(print, s, kW, kH, seed, colour), colour);
        };
        std::vector<Patch> good;
        for (std::uint64_t n = 0; n < 6; ++n) good.push_back(look(0.8, 1, {}, 40 + n));
        LearnOptions o;
        o.least = colour ? 3 : 8, o.edge = colour ? 0.02 : 0.1;
        const auto l = Learned::make(good, {}, o);
        QVERIFY(l);
        const auto worst = [&](const Patch& here, Light light) {
            const auto d = vision::differ(*l, here, light);
            const auto all = vision::places(*l, here, light, d, 4);
            return all.empty() ? 0.0 : all.front().worst;
        };
        for (const double blur : {0.7, 0.9, 1.05}) {
            const Patch here = look(blur, 1, {}, 70);
            const Light light = l->focused(here, l->light(here));
            // A binomial blur of 3 × 3 adds half a px² of variance.
            QVERIFY2(std::abs(light.focus - (blur * blur - 0.64) / 0.5) < 0.35, QByteArray::number(light.focus));
            Light asLearned = light;
            asLearned.focus = 0;
            if (blur > 1 && !colour) QVERIFY(worst(here, asLearned) > 1); // else this test says nothing
            QCOMPARE(worst(here, light), 0.0);
        }
        // Far out of focus, or with a fault in it, it is none.
        const Patch far = look(2.2, 1, {}, 80);
        QVERIFY(worst(far, l->focused(far, l->light(far))) > 1);
        const demo::Ink speck{{60, 50, 50}, {demo::circleOutline({-120, -95}, 3)}};
        const Patch faulty = look(1.05, 1, {speck}, 81);
        QVERIFY(worst(faulty, l->focused(faulty, l->light(faulty))) > 1.5);
        // So bright that the paper is cut off at white: what is darker there is still a difference.
        const Patch bright = look(0.8, 1.15, {}, 90);
        QVERIFY2(l->light(bright).gain[0] > 1.1, QByteArray::number(l->light(bright).gain[0]));
        if (!colour) QVERIFY(worst(bright, l->light(bright)) > 1);
        QCOMPARE(worst(bright, l->focused(bright, l->light(bright))), 0.0);
        const demo::Ink pale{{180, 180, 179}, {demo::circleOutline({-120, -95}, 5)}};
        const Patch stained = look(0.8, 1.15, {pale}, 91);
        QVERIFY(worst(stained, l->focused(stained, l->light(stained))) > 1);
    }
    void ratiosAreThoseOfTheDefinition()
    {
        const Set set = goodSet(6, false);
        LearnOptions o;
        const auto l = Learned::make(set.good, {}, o);
        QVERIFY(l && l->quick());
        SeenAs s;
        s.look.light = 0.93;
        s.more.push_back({{20, 20, 20}, {demo::circleOutline({30, -40}, 6)}});
        Patch here = patchOf(s, seenAs(set.print, s, kW, kH, 900, false), false);
        const Light light = l->light(here);
        const auto quick = vision::differ(*l, here, light);
        // Told that all was seen, pixel by pixel: the slow way.
        here.unseen.assign(here.box.count(), 0);
        const auto slow = vision::differ(*l, here, light);
        QVERIFY2(std::abs(quick.worst / slow.worst - 1) < 0.02, QByteArray::number(quick.worst / slow.worst));
        std::size_t apart = 0;
        for (std::size_t i = 0; i < here.box.count(); ++i) {
            apart += quick.over.row(0)[i] != slow.over.row(0)[i];
            QCOMPARE(slow.over.row(0)[i] == 255, l->ratio(here, light, i) > 1);
        }
        QVERIFY(apart < 8);
        QVERIFY(std::abs(l->ratio(here, light, slow.at) - slow.worst) < 1e-6);
    }
    void coloursAreCompared()
    {
        // The tables give CIELAB.
        std::vector<Patch> good;
        Patch p;
        p.box = {0, 0, 30, 20};
        p.pixels = image::Image(30, 20, image::PixelFormat::Colour8);
        for (std::size_t k = 0; k < p.box.count(); ++k)
            p.pixels.row(0)[3 * k] = 120, p.pixels.row(0)[3 * k + 1] = 80, p.pixels.row(0)[3 * k + 2] = 60;
        good.push_back(p);
        LearnOptions o;
        o.light = LightFollowed::AsItIs, o.least = 4, o.edge = 0;
        const auto l = Learned::make(good, {}, o);
        QVERIFY(l && l->colour());
        demo::Random random(5);
        for (int n = 0; n < 200; ++n) {
            Patch q = p;
            const int c[3] = {random.below(256), random.below(256), random.below(256)};
            for (int k = 0; k < 3; ++k) q.pixels.row(0)[k] = std::uint8_t(c[k]);
            const double truth =
                vision::colourDistance(vision::labOf(120, 80, 60), vision::labOf(c[0], c[1], c[2]), 1) / 4;
            QVERIFY2(std::abs(l->ratio(q, {}, 0) - truth) < 0.05 + 0.01 * truth,
                     qPrintable(QStringLiteral("%1 %2").arg(l->ratio(q, {}, 0)).arg(truth)));
        }
    }
    void heightsAreCompared()
    {
        const auto plane = [](double bump, bool hole) {
            image::Image m(60, 40, image::PixelFormat::Real32);
            demo::Random random(4);
            for (int y = 0; y < 40; ++y)
                for (int x = 0; x < 60; ++x) {
                    const bool in = std::hypot(x - 30, y - 20) < 5;
                    reinterpret_cast<float*>(m.row(y))[x] =
                        in && hole ? std::nanf("")
                                   : float(1.0 + 0.01 * x + random.normal(0.002, 0.01) + (in ? bump : 0));
                }
            return vision::laid(image::makeHeights(std::move(m), {}), false, {5, 5, 50, 30}, [](Point p) { return p; });
        };
        std::vector<Patch> good;
        for (int i = 0; i < 5; ++i) good.push_back(plane(0, false));
        LearnOptions o;
        o.least = 0.03, o.edge = 0;
        const auto l = Learned::make(good, {}, o);
        QVERIFY(l && l->heights());
        QVERIFY(vision::differ(*l, plane(0, false), {}).worst < 1);
        const Patch bump = plane(0.12, false);
        const auto d = vision::differ(*l, bump, {});
        QVERIFY2(std::abs(d.worst - 4) < 0.8, QByteArray::number(d.worst));
        const auto found = vision::places(*l, bump, {}, d, 4);
        QCOMPARE(int(found.size()), 1);
        QCOMPARE(found.front().brighter, 1.0);
        // A height that is not there is a difference, not a pass.
        QCOMPARE(vision::differ(*l, plane(0, true), {}).worst, vision::kMostRatio);
    }
    void emptyAndForeignAreRefused()
    {
        QVERIFY(!Learned::make({}, {}, {}));
        const Set grey = goodSet(1, false), colour = goodSet(1, true);
        std::vector<Patch> mixed = grey.good;
        mixed.push_back(colour.good.front());
        QVERIFY(!Learned::make(mixed, {}, {}));
    }
    void kernelsAgree()
    {
        demo::Random random(8);
        for (const int n : {0, 1, 15, 16, 17, 33, 64, 200, 1000}) {
            std::vector<std::uint8_t> p(std::size_t(n) + 1), u(p), a(p), b(p);
            std::vector<std::uint16_t> w(p.size());
            for (std::size_t i = 0; i < p.size(); ++i) {
                p[i] = std::uint8_t(random.below(256)), u[i] = std::uint8_t(random.below(256));
                w[i] = std::uint16_t(random.below(51001));
            }
            for (int k = 0; k < 20; ++k) {
                vision::simd::RatioRow row;
                row.scale = std::uint16_t(random.below(65536));
                row.offset = std::int16_t(random.below(32001) - 16000);
                row.over = std::uint16_t(random.below(800));
                QCOMPARE(vision::simd::ratios(p.data(), u.data(), w.data(), n, row, a.data()),
                         vision::simd::scalar::ratios(p.data(), u.data(), w.data(), n, row, b.data()));
                QVERIFY(a == b);
            }
        }
    }
};
QTEST_GUILESS_MAIN(LearnedTest)
#include "learned_test.moc"
