#include "steps/component_places/component_places.h"

#include "../same_support.h"
#include "demo/fitted_reeds.h"
#include "inspect/evidence_of.h"
#include "inspect/trials.h"

using namespace support;
using demo::FittedTruth;
using demo::ReedFault;

// On the demo's reeds, whose faults are known.
class ComponentPlacesTest : public QObject
{
    Q_OBJECT
    QTemporaryDir m_dir;
    std::optional<inspect::Prepared> m_prepared;

    inspect::PictureResult inspected(const FittedTruth& truth, std::uint64_t seed)
    {
        demo::Random random(seed);
        FittedTruth t = truth;
        if (t.pose.origin == geometry::Point{})
            t.pose = {{0.5 * 1600 + random.uniform(-20, 20), 0.5 * 640 + random.uniform(-20, 20)},
                      random.uniform(-0.05, 0.05)};
        return inspect::evaluate(*m_prepared, captured(t, random));
    }
    static image::Capture captured(const FittedTruth& t, demo::Random& random)
    {
        return demo::captureOf(demo::drawFitted(demo::reedField(), t, random), demo::reedField(), "test");
    }
    // The same with other heights: z(x, y, mm as it is) in mm, NaN none.
    static image::Capture withHeights(const image::Capture& capture, const std::function<double(int, int, double)>& z)
    {
        std::vector<image::Picture> pictures;
        for (const char* key : {"white", "red"})
            pictures.push_back(image::makePicture(capture.find(key)->pixels.clone(), key));
        const image::HeightView was = capture.find("height")->heights();
        image::Image heights(was.width, was.height, image::PixelFormat::Real32);
        for (int y = 0; y < was.height; ++y)
            for (int x = 0; x < was.width; ++x)
                reinterpret_cast<float*>(heights.row(y))[x] =
                    float(z(x, y, was.missing(x, y) ? std::numeric_limits<double>::quiet_NaN() : was.mm(x, y)));
        image::HeightScale scale;
        scale.pixelMm = demo::reedField().mmPerPixel;
        pictures.push_back(image::makeHeights(std::move(heights), scale, "height"));
        return image::Capture("test", std::move(pictures));
    }
    static std::string saidOf(const inspect::PictureResult& r, const std::string& step, int place)
    {
        for (const auto& c : r.items.front().checks)
            if (c.step == step)
                for (const auto& e : c.elements)
                    if (e.name == std::to_string(place)) return e.verdict == inspect::Verdict::Fail ? e.says : "";
        return "no such place";
    }
    static int failing(const inspect::PictureResult& r, const std::string& step)
    {
        int n = 0;
        for (const auto& c : r.items.front().checks)
            if (c.step == step) n += int(c.failed().size());
        return n;
    }
    // Reeds that are not measured, and what is said of them.
    static std::map<std::string, std::string> notKnown(const inspect::PictureResult& r)
    {
        std::map<std::string, std::string> out;
        for (const auto& c : r.items.front().checks)
            for (const auto& e : c.elements)
                if (c.step == "reeds" && e.verdict == inspect::Verdict::NotMeasured) out[e.name] = e.says;
        return out;
    }
private slots:
    void initTestCase()
    {
        QVERIFY(demo::writeFittedReeds(m_dir.path().toStdString(), 1, 1, {}));
        auto r = recipe::load(m_dir.filePath("fitted-reeds.dikkat").toStdString());
        QVERIFY2(r, r ? "" : r.error().text().c_str());
        auto prepared = inspect::Prepared::make(*r);
        QVERIFY(prepared);
        m_prepared = std::move(*prepared);
    }
    void goodOnesPass()
    {
        for (int n = 0; n < 8; ++n) {
            const auto r = inspected({}, 300 + std::uint64_t(n));
            QVERIFY2(r.outcome() == inspect::Outcome::Accept, r.items.front().sentence().c_str());
        }
    }
    void eachFaultIsNamedAtItsPlace()
    {
        const struct {
            ReedFault fault;
            double amount;
            const char* step;
            const char* says;
        } all[] = {
            {ReedFault::ReedMissing, 0, "reeds", "missing"},    {ReedFault::ReedReversed, 0, "reeds", "reversed"},
            {ReedFault::ReedTurned, 8, "reeds", "turned "},     {ReedFault::ReedTurned, -12, "reeds", "turned "},
            {ReedFault::ReedShifted, 0.5, "reeds", "shifted "}, {ReedFault::ReedLifted, 0.45, "reeds", "lifted "},
            {ReedFault::RivetMissing, 0, "rivets", "missing"}};
        int n = 0;
        for (const auto& f : all)
            for (const int place : {1, 4, 10}) {
                FittedTruth t;
                t.fault = f.fault, t.place = place, t.amount = f.amount;
                const auto r = inspected(t, 900 + std::uint64_t(++n));
                const std::string says = saidOf(r, f.step, place);
                QVERIFY2(QString::fromStdString(says).startsWith(QLatin1String(f.says)),
                         qPrintable(QStringLiteral("%1 at %2 is called \"%3\"")
                                        .arg(QLatin1String(f.says))
                                        .arg(place)
                                        .arg(QString::fromStdString(says))));
                QCOMPARE(failing(r, f.step), 1);
                if (f.amount != 0 && f.fault == ReedFault::ReedTurned) {
                    const double degrees = QString::fromStdString(says).mid(7).chopped(1).toDouble();
                    QVERIFY2(std::abs(degrees - std::abs(f.amount)) < 1, says.c_str());
                }
                if (f.fault == ReedFault::ReedLifted) {
                    // The median of its last sixth, by the usual rise of 0.015 mm.
                    const double mm = QString::fromStdString(says).section(QLatin1Char(' '), 1, 1).toDouble();
                    QVERIFY2(std::abs(mm - 0.435 * 0.9) < 0.04, says.c_str());
                }
                if (f.fault == ReedFault::ReedShifted) {
                    const double mm = QString::fromStdString(says).section(QLatin1Char(' '), 1, 1).toDouble();
                    QVERIFY2(std::abs(mm - 0.51) < 0.06, says.c_str());
                }
            }
    }
    void glueIsNamedUnderRedLight()
    {
        const std::pair<ReedFault, const char*> all[] = {{ReedFault::GlueNone, "none"},
                                                         {ReedFault::GlueLittle, "too little"},
                                                         {ReedFault::GlueMuch, "sticks out"},
                                                         {ReedFault::GlueBridged, "bridged with "}};
        for (const auto& [fault, says] : all)
            for (const int place : {2, 7}) {
                FittedTruth t;
                t.fault = fault, t.place = place;
                const auto r = inspected(t, 70 + std::uint64_t(place));
                QVERIFY2(QString::fromStdString(saidOf(r, "joints", place)).startsWith(QLatin1String(says)),
                         saidOf(r, "joints", place).c_str());
                if (fault == ReedFault::GlueBridged)
                    QCOMPARE(QString::fromStdString(saidOf(r, "joints", place + 1)),
                             QStringLiteral("bridged with %1").arg(place));
            }
    }
    void aDarkCornerIsNoFault()
    {
        FittedTruth t;
        t.darkCorner = 0.35;
        const auto r = inspected(t, 4);
        QVERIFY2(r.outcome() == inspect::Outcome::Accept, r.items.front().sentence().c_str());
    }
    void anEmptyTableIsNoPass()
    {
        demo::Random random(3);
        std::vector<image::Picture> pictures;
        for (const char* key : {"white", "red"})
            pictures.push_back(image::makePicture(demo::painted({58, 60, 64}, {}, 1600, 640, {}, random), key));
        QVERIFY(inspect::evaluate(*m_prepared, image::Capture("empty", std::move(pictures))).outcome() !=
                inspect::Outcome::Accept);
        // Cut by the border.
        FittedTruth t;
        t.pose = {{330, 320}, 0};
        QVERIFY(inspected(t, 5).outcome() != inspect::Outcome::Accept);
    }
    void evidenceIsOfTheChosenPlace()
    {
        FittedTruth t;
        t.fault = ReedFault::ReedTurned, t.place = 8, t.amount = 9;
        demo::Random random(8);
        t.pose = {{800, 320}, 0};
        const image::Capture capture = captured(t, random);
        const auto r = inspect::evaluate(*m_prepared, capture);
        const auto worst = inspect::evidenceOf(*m_prepared, capture, r.items.front(), "reeds", -1);
        QVERIFY(worst && worst->pair);
        QVERIFY(QString::fromStdString(worst->note).startsWith(QStringLiteral("place 8: turned")));
        QVERIFY(worst->pair->is.size() == 2 && worst->pair->should.size() == 2);
        const auto other = inspect::evidenceOf(*m_prepared, capture, r.items.front(), "reeds", 2);
        QVERIFY(other && QString::fromStdString(other->note).startsWith(QStringLiteral("place 3: as the good ones")));
    }
    void aPlateThatLiesHigherOrTiltedLiftsNothing()
    {
        demo::Random random(21);
        FittedTruth t;
        t.pose = {{806, 315}, 0.02};
        const auto good = captured(t, random);
        const auto tilted = inspect::evaluate(
            *m_prepared, withHeights(good, [](int x, int y, double mm) { return mm + 1.4 + 0.0009 * x - 0.0006 * y; }));
        QVERIFY2(tilted.outcome() == inspect::Outcome::Accept, tilted.items.front().sentence().c_str());
        // By the light the same part; one corner of one reed is pressed down.
        t.pose = {{806, 315}, 0};
        demo::Random again(21);
        const auto low = inspect::evaluate(*m_prepared, withHeights(captured(t, again), [](int x, int y, double mm) {
            const double from = 806 + (4 - 4.5) * 8.6 / 0.07; // reed 5
            return std::abs(x - from) < 18 && y < 250 ? mm - 0.25 : mm;
        }));
        QVERIFY(low.outcome() == inspect::Outcome::Reject);
        QCOMPARE(failing(low, "reeds"), 1);
        QVERIFY2(QString::fromStdString(saidOf(low, "reeds", 5)).endsWith(QStringLiteral(" mm too low")),
                 saidOf(low, "reeds", 5).c_str());
    }
    void heightsThatAreNotThereAreNoPass()
    {
        demo::Random random(22);
        FittedTruth t;
        t.pose = {{800, 320}, 0};
        const auto good = captured(t, random);
        QVERIFY(inspect::evaluate(*m_prepared, good).outcome() == inspect::Outcome::Accept);
        constexpr double kNone = std::numeric_limits<double>::quiet_NaN();
        // No picture of heights; one without a point.
        std::vector<image::Picture> light;
        for (const char* key : {"white", "red"})
            light.push_back(image::makePicture(good.find(key)->pixels.clone(), key));
        const auto none = inspect::evaluate(*m_prepared, image::Capture("test", std::move(light)));
        QVERIFY(none.outcome() != inspect::Outcome::Accept);
        QVERIFY(none.items.empty() && none.error && none.error->find("height") != std::string::npos);
        const auto empty = inspect::evaluate(*m_prepared, withHeights(good, [](int, int, double) { return kNone; }));
        QVERIFY(empty.outcome() != inspect::Outcome::Accept);
        QCOMPARE(notKnown(empty).size(), std::size_t(10));
        QCOMPARE(failing(empty, "rivets"), 0);
        // Half of one reed; then that half and the other half lifted.
        const auto at = [](int x, int place) { return std::abs(x - (800 + (place - 5.5) * 8.6 / 0.07)) < 20; };
        const auto half = inspect::evaluate(
            *m_prepared, withHeights(good, [&](int x, int y, double mm) { return at(x, 4) && y < 260 ? kNone : mm; }));
        QVERIFY(half.outcome() != inspect::Outcome::Accept);
        QCOMPARE(notKnown(half),
                 (std::map<std::string, std::string>{{"4", "lift not known: a part of it has no heights"}}));
        const auto both = inspect::evaluate(*m_prepared, withHeights(good, [&](int x, int y, double mm) {
            return !at(x, 4) ? mm : y < 260 ? kNone : mm + 0.4;
        }));
        QVERIFY2(QString::fromStdString(saidOf(both, "reeds", 4)).startsWith(QStringLiteral("lifted 0.4")),
                 saidOf(both, "reeds", 4).c_str());
    }
    void liftedIsShownByItsHeights()
    {
        FittedTruth t;
        t.fault = ReedFault::ReedLifted, t.place = 6, t.amount = 0.6;
        demo::Random random(9);
        t.pose = {{800, 320}, 0};
        const image::Capture capture = captured(t, random);
        const auto r = inspect::evaluate(*m_prepared, capture);
        const auto e = inspect::evidenceOf(*m_prepared, capture, r.items.front(), "reeds", -1);
        QVERIFY(e && e->pair);
        QVERIFY2(QString::fromStdString(e->note).startsWith(QStringLiteral("place 6: lifted 0.5")), e->note.c_str());
        bool said = false;
        for (const auto& f : e->pair->facts)
            said = said || (!f.good && QString::fromStdString(f.text).startsWith(QStringLiteral("lift 0.5")));
        QVERIFY(said);
        // Bright where it is up, half grey where nothing is.
        const image::Image& d = *e->pair->difference;
        int bright = 0, dark = 0;
        for (int y = 0; y < d.height(); ++y)
            for (int x = 0; x < d.width(); ++x) bright += d.row(y)[x] > 200, dark += d.row(y)[x] < 60;
        QVERIFY2(bright > 1000 && dark < 50, qPrintable(QStringLiteral("%1 %2").arg(bright).arg(dark)));
    }
    void aPictureTheCaptureLacksIsSaid()
    {
        recipe::Recipe r = m_prepared->recipe();
        r.find("reeds")->places[0].picture = "dome";
        const auto prepared = inspect::Prepared::make(r);
        QVERIFY(QString::fromStdString(prepared->taught("reeds")->note).contains(QStringLiteral("dome")));
        QCOMPARE(r.picturesNeeded(), (std::set<std::string>{"white", "red", "height", "dome"}));
        r.find("joints")->inUse = false, r.find("reeds")->places[0].picture.clear();
        QCOMPARE(r.picturesNeeded(), (std::set<std::string>{"white", "height"}));
        r.find("reeds")->pictures.erase("heights");
        QCOMPARE(r.picturesNeeded(), std::set<std::string>{"white"});
    }
    void placesAreSavedAndRead()
    {
        const auto& places = m_prepared->recipe().find("reeds")->places;
        for (const auto& p : places) {
            const auto back = recipe::placeFromJson(recipe::placeToJson(p), "here");
            QVERIFY(back && *back == p);
        }
        const auto bad = recipe::placeFromJson(
            nlohmann::json::parse(
                R"({"name": "1", "at": [3, 4], "outline": {"shape": "circle", "centre": [1, 2], "radius": 0}})"),
            "here");
        QVERIFY(!bad && bad.error().where == "here: outline");
    }
};
QTEST_GUILESS_MAIN(ComponentPlacesTest)
#include "component_places_test.moc"
