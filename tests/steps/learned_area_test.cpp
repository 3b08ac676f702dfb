#include "steps/learned_area/learned_area.h"

#include "../same_support.h"
#include "inspect/evidence_of.h"
#include "recipe/history.h"

using namespace support;
using geometry::Point;
using steps::CompareBy;
using steps::LearnedAreaParams;

namespace
{
constexpr int kW = 460, kH = 340;
recipe::Recipe printRecipe(const Print& print, int samples, bool colour, double drift = 0, std::uint64_t seed = 3)
{
    recipe::Recipe r = labelRecipe(print, kW, kH, colour);
    demo::Random random(seed);
    for (int i = 0; i < samples; ++i) {
        SeenAs s = anyLook(random);
        if (drift > 0) s.drift = geometry::direction(random.uniform(0, 6.28)) * random.uniform(0, drift);
        learnFrom(r, seenAs(print, s, kW, kH, seed * 100 + std::uint64_t(i), colour),
                  "good-" + std::to_string(i) + ".png");
    }
    chain(r, "learned_area", "p", [&](recipe::Step& s) {
        s.datum = "A";
        s.regions["region"] = geometry::Region::rectangle({(kW - 1) / 2.0, (kH - 1) / 2.0}, 270, 180);
        auto& p = *std::any_cast<LearnedAreaParams>(&s.params);
        p.by = colour ? CompareBy::Colour : CompareBy::Grey;
        p.drift = drift > 0 ? drift * 2 : 0;
    });
    return r;
}
} // namespace

class LearnedAreaTest : public QObject
{
    Q_OBJECT
private slots:
    void goodOnesPassAtAnyPlaceLightAndBlur_data()
    {
        QTest::addColumn<bool>("colour");
        QTest::newRow("grey") << false;
        QTest::newRow("colour") << true;
    }
    void goodOnesPassAtAnyPlaceLightAndBlur()
    {
        QFETCH(bool, colour);
        const Print print = labelPrint(21);
        const auto prepared = inspect::Prepared::make(printRecipe(print, 8, colour));
        QVERIFY(prepared);
        demo::Random random(77);
        for (int n = 0; n < 20; ++n) {
            const SeenAs s = anyLook(random, 14, 0.12);
            const auto r =
                inspect::evaluate(*prepared, captureOf(seenAs(print, s, kW, kH, 900 + std::uint64_t(n), colour)));
            QVERIFY2(value(r, "p", "ratio") <= 1, qPrintable(QStringLiteral("%1: %2 %3")
                                                                 .arg(n)
                                                                 .arg(value(r, "p", "ratio"))
                                                                 .arg(QString::fromStdString(reason(r)))));
            QCOMPARE(value(r, "p", "count"), 0.0);
            QVERIFY(r.items.front().outcome == inspect::Outcome::Accept);
        }
    }
    void aFaultIsFoundWhereItIs()
    {
        const Print print = labelPrint(21);
        const auto prepared = inspect::Prepared::make(printRecipe(print, 8, true));
        demo::Random random(5);
        for (int n = 0; n < 12; ++n) {
            SeenAs s = anyLook(random, 14, 0.12);
            const Point at{random.uniform(-110, 110), random.uniform(-75, 75)};
            const double radius = 4;
            s.more.push_back({{120, 90, 70}, {demo::circleOutline(at, radius)}});
            const auto r =
                inspect::evaluate(*prepared, captureOf(seenAs(print, s, kW, kH, 40 + std::uint64_t(n), true)));
            QVERIFY(value(r, "p", "ratio") > 1);
            QVERIFY(r.rejected());
            const auto* step = r.items.front().step("p");
            const geometry::Pose pose{Point{(kW - 1) / 2.0, (kH - 1) / 2.0} + s.at, s.angle};
            const Point truth = pose.toPicture(at);
            QVERIFY2(geometry::distance(step->elementPlaces().front(), truth) < radius + 2,
                     qPrintable(QString::number(n)));
            const double area = geometry::kPi * radius * radius;
            QVERIFY(value(r, "p", "largest") < 2 * area);
        }
    }
    void printMayLieALittleOff()
    {
        const Print print = labelPrint(8);
        const auto stiff = inspect::Prepared::make(printRecipe(print, 8, false)),
                   follows = inspect::Prepared::make(printRecipe(print, 8, false, 4));
        SeenAs s;
        s.drift = {3, -2};
        const auto picture = captureOf(seenAs(print, s, kW, kH, 4, false));
        QVERIFY(value(inspect::evaluate(*stiff, picture), "p", "ratio") > 1);
        const auto r = inspect::evaluate(*follows, picture);
        QVERIFY2(value(r, "p", "ratio") <= 1, QByteArray::number(value(r, "p", "ratio")));
        QVERIFY2(std::abs(value(r, "p", "drift") - std::hypot(3, 2)) < 0.2, QByteArray::number(value(r, "p", "drift")));
        // And a fault on it is still one.
        s.more.push_back({{120, 118, 116}, {demo::circleOutline({20, -40}, 5)}});
        QVERIFY(value(inspect::evaluate(*follows, captureOf(seenAs(print, s, kW, kH, 4, false))), "p", "ratio") > 1);
    }
    void moreGoodOnesWidenWhatMayBe()
    {
        // One colour of ink varies from part to part: with the reference alone that is a fault.
        const auto shade = [](double by) {
            Print p = labelPrint(8);
            for (auto& c : p.inks.back().colour) c += by;
            return p;
        };
        recipe::Recipe r = printRecipe(labelPrint(8), 0, false);
        const auto picture = [&](double by) { return seenAs(shade(by), {}, kW, kH, 9, false); };
        const auto alone = inspect::Prepared::make(r);
        QVERIFY(value(inspect::evaluate(*alone, captureOf(picture(26))), "p", "ratio") > 1);
        QVERIFY(QString::fromStdString(alone->taught("p")->note).contains(QStringLiteral("variation unknown")));
        for (const double by : {-24.0, -16.0, -8.0, 8.0, 16.0, 24.0, 28.0}) learnFrom(r, picture(by), "good.png");
        const auto wider = inspect::Prepared::make(r, &*alone);
        QVERIFY(value(inspect::evaluate(*wider, captureOf(picture(26))), "p", "ratio") <= 1);
        QVERIFY(wider->taught("p")->note.empty());
        // What is learned belongs to the recipe's identity.
        QVERIFY(recipe::identity(r) != recipe::identity(printRecipe(labelPrint(8), 0, false)));
    }
    void nothingThereAndHalfThereAreNoPass()
    {
        const Print print = labelPrint(21);
        const auto prepared = inspect::Prepared::make(printRecipe(print, 3, true));
        // No label, half a label, another label, the label half beyond the border.
        demo::Random random(3);
        const auto none =
            inspect::evaluate(*prepared, captureOf(demo::painted({70, 74, 80}, {}, kW, kH, {}, random, true)));
        QVERIFY(none.outcome() != inspect::Outcome::Accept);
        SeenAs half;
        half.more.push_back({{70, 74, 80}, {bar({100, 0}, 200, 300)}});
        QVERIFY(inspect::evaluate(*prepared, captureOf(seenAs(print, half, kW, kH, 4, true))).outcome() !=
                inspect::Outcome::Accept);
        QVERIFY(inspect::evaluate(*prepared, captureOf(seenAs(labelPrint(5), {}, kW, kH, 4, true))).rejected());
        SeenAs away;
        away.at = {150, 0};
        QVERIFY(inspect::evaluate(*prepared, captureOf(seenAs(print, away, kW, kH, 4, true))).outcome() !=
                inspect::Outcome::Accept);
    }
    void fadedPrintIsNoLight()
    {
        // All ink at half its strength: a gain and an offset would explain it.
        const Print print = labelPrint(21);
        Print faded = print;
        for (std::size_t i = 1; i < faded.inks.size(); ++i)
            for (std::size_t k = 0; k < 3; ++k)
                faded.inks[i].colour[k] = (faded.inks[i].colour[k] + faded.inks[0].colour[k]) / 2;
        for (const bool colour : {false, true}) {
            const auto prepared = inspect::Prepared::make(printRecipe(print, 8, colour));
            const auto r = inspect::evaluate(*prepared, captureOf(seenAs(faded, {}, kW, kH, 4, colour)));
            QVERIFY2(value(r, "p", "ratio") > 1, QByteArray::number(value(r, "p", "ratio")));
        }
    }
    void whatIsLeftOutIsNotCompared()
    {
        const Print print = labelPrint(21);
        recipe::Recipe r = printRecipe(print, 3, false);
        SeenAs s;
        s.more.push_back({{20, 20, 20}, {demo::circleOutline({30, -20}, 6)}});
        const auto picture = captureOf(seenAs(print, s, kW, kH, 4, false));
        QVERIFY(value(inspect::evaluate(*inspect::Prepared::make(r), picture), "p", "ratio") > 1);
        r.find("p")->leaveOut.push_back(
            geometry::Region::circle(Point{(kW - 1) / 2.0, (kH - 1) / 2.0} + Point{30, -20}, 12));
        QVERIFY(value(inspect::evaluate(*inspect::Prepared::make(r), picture), "p", "ratio") <= 1);
    }
    void theEvidenceShowsBoth()
    {
        const Print print = labelPrint(21);
        const auto prepared = inspect::Prepared::make(printRecipe(print, 3, true));
        SeenAs s;
        s.more.push_back({{20, 20, 20}, {demo::circleOutline({30, -20}, 6)}});
        const auto picture = captureOf(seenAs(print, s, kW, kH, 4, true));
        const auto r = inspect::evaluate(*prepared, picture);
        const auto e = inspect::evidenceOf(*prepared, picture, r.items.front(), "p", -1);
        QVERIFY(e && e->pair && e->map);
        QCOMPARE(e->pair->good->width(), e->pair->here->width());
        QCOMPARE(e->pair->difference->height(), e->pair->here->height());
        QVERIFY(!e->pair->facts.front().good);
        QCOMPARE(int(std::count_if(e->dots.begin(), e->dots.end(),
                                   [](const auto& d) { return d.of == recipe::Evidence::Dot::Of::Good; })),
                 4);
        QVERIFY(e->map->high > e->map->low);
    }
    void itIsSavedWithItsSamples()
    {
        QTemporaryDir dir;
        recipe::Recipe r = printRecipe(labelPrint(21), 3, true);
        r.samples[1].bare.push_back({"p", "7"});
        const std::string path = dir.filePath("print.dikkat").toStdString();
        QVERIFY(recipe::save(r, path));
        const auto back = recipe::load(path);
        QVERIFY2(back, back ? "" : back.error().text().c_str());
        QCOMPARE(int(back->samples.size()), 3);
        QVERIFY(back->samples[1].bare == r.samples[1].bare);
        QCOMPARE(QString::fromStdString(back->samples[2].picture.origin), QStringLiteral("good-2.png"));
        QCOMPARE(recipe::identity(*back), recipe::identity(r));
        QVERIFY(recipe::keepRevision(r, "E. Sand", "", "2026-11-30T10:00:00.000Z"));
        const auto old = recipe::recipeOf(*r.history.back());
        QVERIFY(old && old->samples.size() == 3);
    }
};
QTEST_GUILESS_MAIN(LearnedAreaTest)
#include "learned_area_test.moc"
