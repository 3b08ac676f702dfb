// How a picture is lit and focused: counted by hand, against light that is known, and never past eight pictures.
#include "demo/conveyor.h"
#include "inspect/light.h"
#include "support.h"

using namespace inspect;

namespace
{
image::Picture flat(int width, int height, int level)
{
    image::Image out(width, height, image::PixelFormat::Grey8);
    for (int y = 0; y < height; ++y) std::fill_n(out.row(y), width, std::uint8_t(level));
    return image::makePicture(std::move(out));
}
// The picture under a light, as a sensor with a black level sees it.
image::Picture under(const std::vector<double>& scene, int width, double light, double black, demo::Random& random,
                     double noise)
{
    const int height = int(scene.size()) / width;
    image::Image out(width, height, image::PixelFormat::Grey8);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const double v = black + light * scene[std::size_t(y * width + x)] + random.normal(noise, 4 * noise);
            out.row(y)[x] = std::uint8_t(std::clamp(std::lround(v), 0L, 255L));
        }
    return image::makePicture(std::move(out));
}
} // namespace

class LightTest : public QObject
{
    Q_OBJECT
private slots:
    void levelsAreCounted()
    {
        image::Picture p = flat(100, 50, 100);
        for (int x = 0; x < 100; ++x) p.pixels.row(0)[x] = 255, p.pixels.row(1)[x] = 0;
        const Levels l = levelsOf(p, wholeOf(p));
        QCOMPARE(l.counts[100], std::uint64_t(4800));
        QVERIFY(std::abs(l.white - 0.02) < 1e-12 && std::abs(l.black - 0.02) < 1e-12);
        QVERIFY(std::abs(l.mean - (4800 * 100.0 + 100 * 255.0) / 5000) < 1e-9);
        QVERIFY(l.high > 254 && l.low < 1);
        QCOMPARE(levelsOf(p, {0, 2, 100, 50}).white, 0.0);
        QCOMPARE(levelsOf(p, {-10, -10, 0, 0}).mean, 0.0); // outside: nothing
        // One channel that clips is clipping.
        image::Image red(10, 10, image::PixelFormat::Colour8);
        for (int y = 0; y < 10; ++y)
            for (int x = 0; x < 10; ++x) red.row(y)[3 * x] = 255, red.row(y)[3 * x + 1] = 40, red.row(y)[3 * x + 2] = 1;
        const image::Picture colour = image::makePicture(std::move(red));
        QCOMPARE(levelsOf(colour, wholeOf(colour)).white, 1.0);
        image::Image deep(10, 10, image::PixelFormat::Grey16);
        for (int y = 0; y < 10; ++y)
            std::fill_n(reinterpret_cast<std::uint16_t*>(deep.row(y)), 10, std::uint16_t(65534));
        const image::Picture wide = image::makePicture(std::move(deep));
        QCOMPARE(levelsOf(wide, wholeOf(wide)).white, 0.0);
        QCOMPARE(levelsOf(wide, wholeOf(wide)).counts[255], std::uint64_t(100));
    }

    void sharpnessFallsWithBlurAndNotWithLight()
    {
        const demo::Field field = support::smallField();
        demo::Random random(3);
        const auto sharp = demo::referencePlate(field).picture;
        double before = 1e300;
        for (const double sigma : {0.0, 0.5, 1.0, 2.0, 4.0}) {
            std::vector<float> v;
            for (int y = 0; y < sharp.height(); ++y) v.insert(v.end(), sharp.row(y), sharp.row(y) + sharp.width());
            if (sigma > 0) demo::blur(v, sharp.width(), sharp.height(), sigma);
            const std::vector<double> scene(v.begin(), v.end());
            const auto at = [&](double light) { return under(scene, sharp.width(), light, 0, random, 0.01); };
            const image::Picture bright = at(1), dark = at(0.5);
            const double s = sharpnessOf(bright, wholeOf(bright));
            QVERIFY2(s < 0.97 * before, qPrintable(QString::number(sigma)));
            before = s;
            const double half = sharpnessOf(dark, wholeOf(dark));
            QVERIFY2(std::abs(half / s - 1) < 0.04, qPrintable(QString::number(half / s)));
        }
        const image::Picture none = flat(40, 40, 0), one = flat(1, 1, 200);
        QCOMPARE(sharpnessOf(none, wholeOf(none)), 0.0);
        QCOMPARE(sharpnessOf(one, wholeOf(one)), 0.0);
    }

    void evennessIsTheLightsNotTheParts()
    {
        image::Image out(800, 600, image::PixelFormat::Grey8);
        for (int y = 0; y < 600; ++y)
            for (int x = 0; x < 800; ++x) out.row(y)[x] = std::uint8_t(240 - 0.1 * x);
        for (int y = 100; y < 180; ++y)
            for (int x = 100; x < 180; ++x) out.row(y)[x] = 10; // a part
        const image::Picture p = image::makePicture(std::move(out));
        const Evenness e = evennessOf(p);
        QCOMPARE(e.shares.size(), std::size_t(48));
        QVERIFY2(std::abs(e.least - 169.0 / 239) < 0.02, qPrintable(QString::number(e.least)));
        QVERIFY(std::abs(e.shares[1 * 8 + 1] - 229.0 / 239) < 0.02); // the cell of the part
    }

    // Scenes of any brightness, with glints, black level and noise: found or said, in eight pictures, and never clipped.
    void exposureIsFoundInEightPictures()
    {
        demo::Random random(17);
        int found = 0, most = 0;
        for (int round = 0; round < 300; ++round) {
            constexpr int width = 64;
            std::vector<double> scene;
            // grey levels in 1 ms of exposure
            const double brightness = std::pow(10, random.uniform(-1.5, 3));
            for (int i = 0; i < width * 48; ++i) scene.push_back(brightness * random.uniform(0.05, 1));
            if (round % 3 == 0) scene[5] = scene[900] = brightness * 50; // glints: 2 of 3072 pixels
            const double black = random.uniform(0, 12), noise = random.uniform(0.1, 3);
            AutoExposure a(20, 100000, std::pow(10, random.uniform(1.31, 5)));
            Levels last;
            while (!a.done())
                last = [&] {
                    const image::Picture p = under(scene, width, a.next() / 1000, black, random, noise);
                    const Levels l = levelsOf(p, wholeOf(p));
                    a.saw(l);
                    return l;
                }();
            QVERIFY(a.pictures() <= AutoExposure::kMostPictures);
            most = std::max(most, a.pictures());
            const image::Picture p = under(scene, width, a.best() / 1000, black, random, noise);
            const Levels at = levelsOf(p, wholeOf(p));
            const QByteArray words = QByteArray::number(round) + " brightness " + QByteArray::number(brightness) +
                                     " best " + QByteArray::number(a.best()) + " high " + QByteArray::number(at.high) +
                                     " white " + QByteArray::number(at.white);
            if (a.outcome() == AutoExposure::Outcome::TooDark) {
                QVERIFY2(a.best() >= 99999 && at.high < AutoExposure::kLow + 3, words);
                continue;
            }
            if (a.outcome() == AutoExposure::Outcome::TooBright) {
                QVERIFY2(a.best() <= 20.001, words);
                continue;
            }
            QVERIFY2(a.outcome() == AutoExposure::Outcome::Found, words);
            ++found;
            QVERIFY2(at.white <= 2 * AutoExposure::kClipped, words);
            QVERIFY2(at.high > 200, words);
        }
        QVERIFY2(found > 150, qPrintable(QString::number(found)));
        qInfo("%d of 300 found, at most %d pictures", found, most);
    }

    void sceneThatChangesIsSaid()
    {
        AutoExposure a(20, 100000, 1000);
        Levels dark, white;
        dark.high = 20, white.high = 255, white.white = 1;
        for (int i = 0; !a.done(); ++i) a.saw(i % 2 ? white : dark);
        QVERIFY(a.pictures() <= AutoExposure::kMostPictures);
        QVERIFY(a.best() >= 20 && a.best() <= 100000);
    }

    void conveyorsLightIsLinear()
    {
        const auto sharp = demo::referencePlate(support::smallField()).picture;
        const image::Picture one = image::makePicture(demo::exposed(sharp, 0.8, 0, 1)),
                             half = image::makePicture(demo::exposed(sharp, 0.4, 0, 2)),
                             smeared = image::makePicture(demo::exposed(sharp, 0.8, 9, 1));
        const double a = levelsOf(one, wholeOf(one)).mean, b = levelsOf(half, wholeOf(half)).mean;
        QVERIFY2(std::abs(a / b - 2) < 0.02, qPrintable(QString::number(a / b)));
        QVERIFY(sharpnessOf(smeared, wholeOf(smeared)) < 0.85 * sharpnessOf(one, wholeOf(one)));
        QVERIFY(std::abs(levelsOf(smeared, wholeOf(smeared)).mean / a - 1) < 0.01);
    }
};

QTEST_GUILESS_MAIN(LightTest)
#include "light_test.moc"
