// Pictures from a camera, with a simulated GigE Vision camera on the loopback that the test starts and ends.
#include "camera/camera_source.h"
#include "station/station.h"
#include "support_records.h"

#include <QProcess>

using namespace std::chrono_literals;
using camera::CameraSource;

namespace
{
// Codes of the pixel format naming convention (PFNC 2.1).
enum Format : std::uint32_t {
    kMono8 = 0x01080001,
    kMono12 = 0x01100005,
    kBayerGR8 = 0x01080008,
    kBayerRG8 = 0x01080009,
    kBayerGB8 = 0x0108000A,
    kBayerBG8 = 0x0108000B,
    kBGR8 = 0x02180015,
    kYUV422 = 0x0210001F
};
// The station's own recipe: whatever the picture shows, something is answered.
recipe::Recipe recipeFor(const char* trigger)
{
    recipe::Recipe r;
    r.name = "Camera";
    recipe::Step s = recipe::makeStep(r, *recipe::findKind("area_share"));
    s.regions["region"] = geometry::Region::rectangle({100, 100}, 120, 120);
    s.checks[0].limits.low = 0, s.checks[0].limits.unit = base::Unit::Percent;
    r.steps.push_back(s);
    r.camera.trigger = trigger;
    return r;
}
station::LinePtr lineOf(const recipe::Recipe& r)
{
    auto line = std::make_shared<station::Line>();
    line->release = support::released(r);
    return line;
}
std::uint8_t byteAt(const image::Image& i, int x, int y, int c = 0)
{
    return i.row(y)[x * (image::channels(i.format())) + c];
}
} // namespace

class CameraTest : public QObject
{
    Q_OBJECT
    QTemporaryDir m_dir;
    std::unique_ptr<QProcess> simulator()
    {
        auto p = std::make_unique<QProcess>();
        p->start("arv-fake-gv-camera-0.8", {"-i", "127.0.0.1", "-s", "SIM1"});
        if (!p->waitForStarted(5000)) qFatal("the camera simulator (aravis-tools) is needed");
        return p;
    }
    static void end(std::unique_ptr<QProcess>& p)
    {
        p->kill();
        p->waitForFinished(5000);
        p.reset();
    }
    // The next shot that is one, or an error.
    static std::optional<station::Shot> somethingOf(CameraSource& source)
    {
        QElapsedTimer since;
        since.start();
        std::optional<station::Shot> shot;
        do shot = source.next({});
        while (shot && shot->nothing() && since.elapsed() < 10000);
        return shot;
    }
    static std::unique_ptr<CameraSource> opened()
    {
        std::unique_ptr<CameraSource> out;
        QElapsedTimer since;
        since.start();
        while (!out && since.elapsed() < 15000)
            if (auto made = CameraSource::open("SIM1")) out = std::move(*made);
        return out;
    }
private slots:
    void framesBecomePictures()
    {
        // 12 bits fill 16 from above: full scale stays full scale.
        const std::uint16_t twelve[4] = {0, 4095, 2048, 1};
        const auto wide = camera::pictureOf(twelve, sizeof twelve, 2, 2, kMono12);
        QVERIFY(wide.has_value() && wide->format() == image::PixelFormat::Grey16);
        const auto level = [&](int x, int y) { return reinterpret_cast<const std::uint16_t*>(wide->row(y))[x]; };
        QCOMPARE(level(0, 0), std::uint16_t(0));
        QCOMPARE(level(1, 0), std::uint16_t(65535));
        QCOMPARE(level(0, 1), std::uint16_t(std::lround(2048 * 65535.0 / 4095)));
        // A flat colour under each of the four arrangements is that colour everywhere, borders too.
        for (const auto& [format, redX, redY] :
             {std::tuple{kBayerRG8, 0, 0}, {kBayerGR8, 1, 0}, {kBayerGB8, 0, 1}, {kBayerBG8, 1, 1}}) {
            std::vector<std::uint8_t> raw(8 * 6);
            for (int y = 0; y < 6; ++y)
                for (int x = 0; x < 8; ++x) {
                    const bool rx = (x & 1) == redX, ry = (y & 1) == redY;
                    raw[std::size_t(8 * y + x)] = rx && ry ? 200 : !rx && !ry ? 40 : 120;
                }
            const auto colour = camera::pictureOf(raw.data(), raw.size(), 8, 6, std::uint32_t(format));
            QVERIFY(colour.has_value() && colour->format() == image::PixelFormat::Colour8);
            for (int y = 0; y < 6; ++y)
                for (int x = 0; x < 8; ++x) {
                    QCOMPARE(int(byteAt(*colour, x, y, 0)), 200);
                    QCOMPARE(int(byteAt(*colour, x, y, 1)), 120);
                    QCOMPARE(int(byteAt(*colour, x, y, 2)), 40);
                }
        }
        // Packed as GigE Vision and as PFNC do, packed here by the words of the standards.
        demo::Random random(4);
        for (const int bits : {10, 12}) {
            constexpr int width = 7, height = 3; // an odd count: the last three bytes hold one sample
            std::vector<unsigned> truth(width * height);
            for (auto& v : truth) v = unsigned(random.below(1 << bits));
            std::vector<std::uint8_t> packed((truth.size() * 3 + 1) / 2),
                tight((truth.size() * std::size_t(bits) + 7) / 8);
            const unsigned rest = unsigned(bits - 8), low = (1U << rest) - 1;
            for (std::size_t i = 0; i < truth.size(); ++i) {
                packed[i / 2 * 3 + (i % 2 ? 2 : 0)] = std::uint8_t(truth[i] >> rest);
                packed[i / 2 * 3 + 1] = std::uint8_t(packed[i / 2 * 3 + 1] | (truth[i] & low) << (i % 2 ? 4 : 0));
                for (int b = 0; b < bits; ++b)
                    if (truth[i] >> b & 1)
                        tight[(i * std::size_t(bits) + std::size_t(b)) / 8] |=
                            std::uint8_t(1 << (i * std::size_t(bits) + std::size_t(b)) % 8);
            }
            const std::uint32_t packedCode = bits == 10 ? 0x010C0004 : 0x010C0006,
                                tightCode = bits == 10 ? 0x010A0046 : 0x010C0047;
            for (const auto& [bytes, code] : {std::pair{&packed, packedCode}, {&tight, tightCode}}) {
                const auto made = camera::pictureOf(bytes->data(), bytes->size(), width, height, code);
                QVERIFY(made);
                for (int i = 0; i < width * height; ++i) {
                    const auto* row = reinterpret_cast<const std::uint16_t*>(made->row(i / width));
                    const unsigned most = (1U << bits) - 1;
                    QCOMPARE(unsigned(row[i % width]), unsigned(std::lround(truth[std::size_t(i)] * 65535.0 / most)));
                }
                QVERIFY(!camera::pictureOf(bytes->data(), bytes->size() - 1, width, height, code));
            }
        }
        // Bayer of 12 bits: a flat colour is that colour, full scale at 65535.
        std::vector<std::uint16_t> deep(8 * 6);
        for (int y = 0; y < 6; ++y)
            for (int x = 0; x < 8; ++x)
                deep[std::size_t(8 * y + x)] = (x & 1) == 0 && (y & 1) == 0 ? 4095 : (x & 1) && (y & 1) ? 0 : 2048;
        const auto colour = camera::pictureOf(deep.data(), deep.size() * 2, 8, 6, 0x01100011);
        QVERIFY(colour && colour->format() == image::PixelFormat::Colour16);
        const auto* pixel = reinterpret_cast<const std::uint16_t*>(colour->row(3)) + 3 * 3;
        QVERIFY(pixel[0] == 65535 && pixel[2] == 0 && std::abs(int(pixel[1]) - 32776) < 3);
        const std::uint8_t three[3] = {10, 20, 30};
        const auto bgr = camera::pictureOf(three, 3, 1, 1, kBGR8);
        QCOMPARE(int(byteAt(*bgr, 0, 0, 0)), 30);
        QCOMPARE(camera::pictureOf(three, 3, 2, 2, kMono8).error().code, base::ErrorCode::Corrupt);
        QCOMPARE(camera::pictureOf(three, 3, 1, 1, kYUV422).error().code, base::ErrorCode::Unsupported);
    }
    void aCameraThatIsNotThereIsNamed()
    {
        const auto none = CameraSource::open("NOBODY");
        QVERIFY(!none.has_value());
        QVERIFY2(none.error().text().find("NOBODY") != std::string::npos, none.error().text().c_str());
    }
    void settingsAreSetReadBackAndRefusedWithTheirBound()
    {
        auto world = simulator();
        const auto source = opened();
        QVERIFY(source);
        recipe::Recipe r = recipeFor("");
        r.camera.exposure = 12345, r.camera.format = "Mono8";
        r.camera.window = recipe::CameraSettings::Window{0, 0, 256, 128};
        source->prepare(r);
        std::optional<station::Shot> shot = somethingOf(*source);
        QVERIFY2(!shot->error, shot->error ? shot->error->text().c_str() : "");
        QCOMPARE(shot->ready->width(), 256);
        QCOMPARE(shot->ready->rows(), 128);
        QVERIFY(source->exposure() && std::abs(*source->exposure() - 12345) < 10);
        // Too long: said with the camera's own bound, once; nothing is taken meanwhile.
        r.camera.exposure = 9e7;
        source->prepare(r);
        shot = source->next({});
        QVERIFY(shot && shot->error);
        const std::string words = shot->error->text();
        QVERIFY2(words.find("exposure_us = 9") != std::string::npos && words.find(" is outside ") != std::string::npos,
                 words.c_str());
        for (int i = 0; i < 3; ++i) QVERIFY(source->next({})->nothing());
        r.camera.exposure = 5000, r.camera.format = "Purple8";
        source->prepare(r);
        QVERIFY(source->next({})->error->text().find("Purple8") != std::string::npos);
        r.camera.format = "Mono8";
        source->prepare(r);
        shot = somethingOf(*source);
        QVERIFY2(shot && shot->ready, shot && shot->error ? shot->error->text().c_str() : "");
        end(world);
    }
    // Each picture is inspected and logged once; the camera ends in the middle and comes again by itself.
    void aThousandPicturesWithAGap()
    {
        auto world = simulator();
        std::shared_ptr<CameraSource> source = opened();
        QVERIFY(source);
        const std::string log = m_dir.filePath("log.db").toStdString();
        std::mutex mutex;
        std::vector<std::pair<std::uint64_t, bool>> seen; // number, a picture
        std::atomic<int> pictures{0}, gaps{0}, late{0};
        station::Station::Listener listener;
        listener.logged = [&](const station::Logged& l) {
            const std::lock_guard lock(mutex);
            seen.emplace_back(l.inspected.taken.number, !l.result().error);
            // On a busy machine packets are lost: such a picture is said to be incomplete, and is no gap.
            const std::string why = l.result().error.value_or("");
            if (why.empty()) ++pictures;
            else ++(why.find("incomplete") == std::string::npos ? gaps : late);
        };
        std::vector<std::unique_ptr<station::Sink>> sinks;
        sinks.push_back(std::make_unique<station::RecordSink>(log));
        {
            station::Station station(std::move(sinks), {}, listener, {1, 1});
            station.setLine(lineOf(recipeFor("software")));
            station.setSource(source);
            station.start();
            QVERIFY(support::waitFor([&] { return pictures >= 500; }, 90000));
            end(world);
            QVERIFY(support::waitFor([&] { return gaps >= 1; }, 20000));
            const int before = pictures;
            QTest::qWait(700);
            QVERIFY(pictures <= before + 2); // nothing comes from nowhere
            world = simulator();
            QVERIFY(support::waitFor([&] { return pictures >= before + 500; }, 90000));
            station.stop();
            QVERIFY(station.settle(20s));
            QVERIFY(gaps <= 20); // said, and not with every trigger
        }
        const auto counts = source->counts();
        QVERIFY(counts.frames >= 1000);
        for (std::size_t i = 0; i < seen.size(); ++i)
            QCOMPARE(seen[i].first, std::uint64_t(i + 1)); // each once, in order
        auto opened = records::RecordLog::open(QString::fromStdString(log));
        QVERIFY(opened.has_value());
        QCOMPARE((*opened)->counts({}).value().items, (long long)(seen.size()));
        QVERIFY(late < pictures / 5);
        qInfo("%d pictures, %d late or incomplete, %d gaps, %llu frames", int(pictures), int(late), int(gaps),
              static_cast<unsigned long long>(counts.frames));
        source.reset();
        end(world);
    }
};

QTEST_GUILESS_MAIN(CameraTest)
#include "camera_test.moc"
