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
        auto made = demo::drawFitted(demo::reedField(), t, random);
        std::vector<image::Picture> pictures;
        pictures.push_back(image::makePicture(std::move(made.white), "white"));
        pictures.push_back(image::makePicture(std::move(made.red), "red"));
        return inspect::evaluate(*m_prepared, image::Capture("test", std::move(pictures)));
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
            {ReedFault::ReedShifted, 0.5, "reeds", "shifted "}, {ReedFault::RivetMissing, 0, "rivets", "missing"}};
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
        auto made = demo::drawFitted(demo::reedField(), t, random);
        std::vector<image::Picture> pictures;
        pictures.push_back(image::makePicture(std::move(made.white), "white"));
        pictures.push_back(image::makePicture(std::move(made.red), "red"));
        const image::Capture capture("test", std::move(pictures));
        const auto r = inspect::evaluate(*m_prepared, capture);
        const auto worst = inspect::evidenceOf(*m_prepared, capture, r.items.front(), "reeds", -1);
        QVERIFY(worst && worst->pair);
        QVERIFY(QString::fromStdString(worst->note).startsWith(QStringLiteral("place 8: turned")));
        QVERIFY(worst->pair->is.size() == 2 && worst->pair->should.size() == 2);
        const auto other = inspect::evidenceOf(*m_prepared, capture, r.items.front(), "reeds", 2);
        QVERIFY(other && QString::fromStdString(other->note).startsWith(QStringLiteral("place 3: as the good ones")));
    }
    void aPictureTheCaptureLacksIsSaid()
    {
        recipe::Recipe r = m_prepared->recipe();
        r.find("reeds")->places[0].picture = "dome";
        const auto prepared = inspect::Prepared::make(r);
        QVERIFY(QString::fromStdString(prepared->taught("reeds")->note).contains(QStringLiteral("dome")));
        QCOMPARE(r.picturesNeeded(), (std::set<std::string>{"white", "red", "dome"}));
        r.find("joints")->inUse = false, r.find("reeds")->places[0].picture.clear();
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
