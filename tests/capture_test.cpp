// A capture: which files belong together, what its views say, and what is refused.
#include "image/capture_files.h"
#include "support.h"

#include <limits>

using namespace image;

class CaptureTest : public QObject
{
    Q_OBJECT
    QTemporaryDir m_dir;
    const Naming m_lights{{"white", "{id}-white.png", {}}, {"dome", "{id}-dome.png", {}}};
    std::string path(const char* leaf) const { return m_dir.filePath(leaf).toStdString(); }
    std::string write(const char* leaf, int w, int h, PixelFormat format, int level)
    {
        Image p(w, h, format);
        for (int y = 0; y < h; ++y)
            for (int i = 0; i < w * channels(format); ++i)
                if (bytesPerSample(format) == 2) reinterpret_cast<std::uint16_t*>(p.row(y))[i] = std::uint16_t(level);
                else p.row(y)[i] = std::uint8_t(level);
        (void)base::realFiles().write(path(leaf), *encodePng(p));
        return path(leaf);
    }
    static std::string why(const base::Status& s) { return s ? "" : s.error().text(); }

private slots:
    void namingIsChecked()
    {
        QVERIFY(check(Naming{}) && check(m_lights));
        QVERIFY(why(check(Naming{{"a", "a.png", {}}})).find("{id}") != std::string::npos);
        QVERIFY(why(check(Naming{{"a", "{id}-{id}.png", {}}})).find("{id}") != std::string::npos);
        QVERIFY(why(check(Naming{{"", "{id}.png", {}}})).find("key") != std::string::npos);
        QVERIFY(why(check(Naming{{"a", "x/{id}.png", {}}})).find("folders") != std::string::npos);
        QVERIFY(why(check(Naming{{"a", "{id}.png", {}}, {"a", "{id}-2.png", {}}})).find("twice") != std::string::npos);
        QVERIFY(why(check(Naming{{"a", "{id}.png", {}}, {"b", "{id}.png", {}}})).find("twice") != std::string::npos);
        Naming many;
        for (int i = 0; i < 17; ++i) many.push_back({std::to_string(i), "{id}-" + std::to_string(i) + ".png", {}});
        QVERIFY(why(check(many)).find("at most 16") != std::string::npos);
    }
    void anyFileNamesItsCapture()
    {
        for (const char* leaf : {"part 7-white.png", "part 7-dome.png"}) {
            const auto f = filesOf(m_lights, std::string("in/") + leaf);
            QVERIFY(f);
            QCOMPARE(f->id, std::string("part 7"));
            QCOMPARE(f->first(), std::string("in/part 7-white.png"));
            QCOMPARE(f->files.at(1), (std::pair<std::string, std::string>{"dome", "in/part 7-dome.png"}));
        }
        // The name that says more holds, whatever the order.
        for (const Naming& n : {Naming{{"a", "{id}.png", {}}, {"b", "{id}-dome.png", {}}},
                                Naming{{"b", "{id}-dome.png", {}}, {"a", "{id}.png", {}}}}) {
            QCOMPARE(filesOf(n, "x-dome.png")->id, std::string("x"));
            QCOMPARE(filesOf(n, "x-domed.png")->id, std::string("x-domed"));
        }
        // An id is never empty; what fits nothing is refused with the names that would.
        for (const char* leaf : {"-white.png", "x-red.png", "white.png"}) {
            const auto f = filesOf(m_lights, leaf);
            QVERIFY(!f && f.error().message.find("{id}-white.png, {id}-dome.png") != std::string::npos);
        }
        QCOMPARE(filesOf({}, "a/any name.tif")->first(), std::string("a/any name.tif"));
    }
    void listsHoldEachCaptureOnce()
    {
        const std::vector<std::string> files{"b-dome.png", "a-white.png",  "odd.png",
                                             "a-dome.png", "d/a-dome.png", "b-white.png"};
        QVERIFY(captures(m_lights, files) ==
                (std::vector<std::string>{"b-white.png", "a-white.png", "odd.png", "d/a-white.png"}));
        QVERIFY(captures({}, files) == files);
    }
    void allOfItIsReadOrNothing()
    {
        write("p-white.png", 8, 6, PixelFormat::Colour8, 90);
        const std::string dome = write("p-dome.png", 8, 6, PixelFormat::Grey8, 40);
        const auto c = loadCapture(dome, m_lights);
        QVERIFY2(c.has_value(), c ? "" : c.error().text().c_str());
        QCOMPARE(c->id(), path("p-white.png"));
        QVERIFY(c->first().content == Content::Colour && c->grey()->levelAt(3, 3) == 90);
        QVERIFY(c->grey("dome")->levelAt(3, 3) == 40 && c->keys() == "white, dome");
        QVERIFY(c->grey("red").error().message.find("white, dome") != std::string::npos);
        QVERIFY(c->height("dome").error().message.find("light, not heights") != std::string::npos);
        // Missing, damaged, of another size: said by picture and file.
        QVERIFY(QFile::remove(path("p-white.png").c_str()));
        auto bad = loadCapture(dome, m_lights);
        QVERIFY(!bad && bad.error().text().find("p-white.png") != std::string::npos &&
                bad.error().text().find("\"white\"") != std::string::npos);
        (void)base::realFiles().write(path("p-white.png"), "no picture");
        QVERIFY(!loadCapture(dome, m_lights));
        write("p-white.png", 8, 7, PixelFormat::Grey8, 1);
        bad = loadCapture(dome, m_lights);
        QVERIFY(!bad && bad.error().message.find("8 × 6") != std::string::npos &&
                bad.error().message.find("8 × 7") != std::string::npos);
        QVERIFY(Capture().first().pixels.empty() && !Capture().grey());
    }
    void heightsAreMillimetresAndMissingIsNotZero()
    {
        const Naming both{{"light", "{id}.png", {}}, {"z", "{id}-z.png", HeightScale{0.01, -2, 0.05, 0}}};
        write("q.png", 4, 3, PixelFormat::Grey8, 7);
        const std::string z = write("q-z.png", 4, 3, PixelFormat::Grey16, 350);
        const auto c = loadCapture(z, both);
        QVERIFY2(c.has_value(), c ? "" : c.error().text().c_str());
        const auto h = c->height("z");
        QVERIFY(h && !h->missing(1, 1));
        QCOMPARE(h->mm(1, 1), -2 + 0.01 * 350);
        QVERIFY(c->grey("z").error().message.find("heights, not light") != std::string::npos);
        write("q-z.png", 4, 3, PixelFormat::Grey16, 0);
        QVERIFY(loadCapture(z, both)->height("z")->missing(2, 2));
        write("q-z.png", 4, 3, PixelFormat::Grey8, 9);
        const auto narrow = loadCapture(z, both);
        QVERIFY(!narrow && narrow.error().message.find("16 bit") != std::string::npos);
        // Float samples: NaN is missing whatever the scale says.
        const float samples[] = {1.5F, std::numeric_limits<float>::quiet_NaN()};
        const HeightView real{samples, 2, 1, 2, true, {2, 1, 0, {}}};
        QVERIFY(real.mm(0, 0) == 4 && !real.missing(0, 0) && real.missing(1, 0));
    }
    void aTouchedFileChangesTheStamp()
    {
        const std::string a = write("s-white.png", 4, 3, PixelFormat::Grey8, 7);
        write("s-dome.png", 4, 3, PixelFormat::Grey8, 7);
        const std::string before = stampOf(m_lights, a);
        write("s-dome.png", 5, 3, PixelFormat::Grey8, 9);
        QVERIFY(stampOf(m_lights, a) != before);
    }
};
QTEST_MAIN(CaptureTest)
#include "capture_test.moc"
