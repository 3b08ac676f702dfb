// Steps made of other steps: repeated, pasted, moved.
#include "recipe/copies.h"
#include "support.h"

using namespace support;
using namespace recipe;
using geometry::Point;

class CopiesTest : public QObject
{
    Q_OBJECT
    static Recipe chainOf()
    {
        Recipe r;
        const auto line = [](double x) {
            return [x](Step& s) { s.regions["window"] = geometry::Region::window({x, 40}, {x, 140}, 30); };
        };
        chain(r, "line", "left", line(60));
        chain(r, "line", "right", line(90));
        chain(r, "distance", "gap", [](Step& s) {
            s.inputs = {{"first", "left"}, {"second", "right"}};
            s.checks.front().name = "gap";
            s.checks.front().limits.nominal = 30, s.checks.front().limits.hasTolerance = true;
            s.checks.front().limits.plus = s.checks.front().limits.minus = 0.5;
        });
        chain(r, "formula", "twice", [](Step& s) {
            findKind("formula")->param("expression")->put(s.params, std::string("2 * [gap] + [left.length]"));
        });
        return r;
    }
private slots:
    void rowsAndColumnsLieWhereTheyShould()
    {
        Repeat r;
        r.columns = 3, r.rows = 2, r.columnStep = {10, 1}, r.rowStep = {-2, 20};
        QCOMPARE(r.copies(), 5);
        const Point from{100, 50};
        for (int n = 0; n < 6; ++n) {
            const Point at = placeOf(r, n).carry(from);
            QVERIFY(geometry::distance(
                        at, {100 + 10.0 * (n % 3) - 2.0 * (n / 3), 50 + 1.0 * (n % 3) + 20.0 * (n / 3)}) < 1e-9);
        }
    }
    void roundACentreTheRadiusStays()
    {
        for (const double sweep : {2 * geometry::kPi, geometry::kPi / 2}) {
            Repeat r;
            r.round = true, r.count = 7, r.centre = {300, 200}, r.sweep = sweep;
            const Point from{380, 200};
            const bool whole = sweep > 6;
            for (int n = 0; n < 7; ++n) {
                const Point at = placeOf(r, n).carry(from);
                QVERIFY(std::abs(geometry::distance(at, r.centre) - 80) < 1e-9);
                const double turn = geometry::angleOf(at - r.centre), asked = sweep * n / (whole ? 7 : 6);
                QVERIFY(std::abs(geometry::wrapped(turn - asked)) < 1e-9);
            }
        }
    }
    void copiesTakeWhatTheyAreMadeOf()
    {
        const Recipe r = chainOf();
        Repeat repeat;
        repeat.columns = 4, repeat.columnStep = {50, 0};
        const auto made = repeated(r, "gap", repeat);
        QVERIFY(made);
        QCOMPARE(made->size(), std::size_t(9)); // two lines and a distance, three times
        Recipe all = r;
        all.steps.insert(all.steps.end(), made->begin(), made->end());
        std::set<std::string> ids, names;
        std::set<int> balloons;
        for (const Step& s : all.steps) {
            QVERIFY(ids.insert(s.id).second);
            QVERIFY2(names.insert(s.name).second, s.name.c_str());
            for (const Check& c : s.checks)
                if (c.balloon) QVERIFY(balloons.insert(c.balloon).second);
        }
        const Step& last = made->back();
        QCOMPARE(last.kind, std::string("distance"));
        QVERIFY(last.checks.front().limits == r.find("gap")->checks.front().limits);
        QCOMPARE(last.checks.front().name, last.name);
        const Step* first = all.find(last.inputs.at("first"));
        QVERIFY(first && geometry::distance(first->regions.at("window").from, {210, 40}) < 1e-9);
        QVERIFY(inspect::Prepared::make(all));
        // What has no place of its own cannot be repeated; nor nothing, nor too much.
        QVERIFY(!repeated(r, "twice", repeat));
        repeat.columns = 1;
        QVERIFY(!repeated(r, "gap", repeat));
        repeat.columns = 600;
        const auto many = repeated(r, "gap", repeat);
        QVERIFY(!many && many.error().message.find("500") != std::string::npos);
    }
    void copiesMeasureWhereTheyLie()
    {
        // Four bars 20, 22, 24, 26 px wide, 60 px apart; one width is drawn, the rest repeated.
        std::vector<std::vector<Point>> bars;
        for (int i = 0; i < 4; ++i) bars.push_back(box(40 + 60 * i, 30, 60 + 60 * i + 2 * i, 120));
        Recipe r;
        chain(r, "edge_pair", "bar", [](Step& s) {
            s.regions["window"] = geometry::Region::window({30, 75}, {75, 75}, 20);
        });
        Repeat repeat;
        repeat.columns = 4, repeat.columnStep = {60, 0};
        const auto made = repeated(r, "bar", repeat);
        QVERIFY(made);
        r.steps.insert(r.steps.end(), made->begin(), made->end());
        auto prepared = inspect::Prepared::make(r);
        QVERIFY(prepared);
        const auto result = inspect::evaluate(*prepared, captureOf(draw(bars, 320, 150, {}, 1)));
        for (int i = 0; i < 4; ++i) {
            const auto* width = result.items.front().steps[std::size_t(i)]->output("distance");
            QVERIFY(width);
            QVERIFY2(std::abs(width->values.front() - (20 + 2 * i)) < 0.05,
                     qPrintable(QString::number(width->values.front())));
        }
    }
    void pastedStepsReadWhatCameWithThem()
    {
        const Recipe r = chainOf();
        const std::string text = stepsToText(r, {"left", "right", "gap", "twice"});
        const auto same = stepsFromText(r, text);
        QVERIFY(same && same->missing.empty());
        QCOMPARE(same->steps.size(), std::size_t(4));
        const Step &gap = same->steps[2], &twice = same->steps[3];
        QCOMPARE(gap.inputs.at("first"), same->steps[0].id);
        QVERIFY(gap.inputs.at("first") != "left");
        const auto expression = std::get<std::string>(findKind("formula")->param("expression")->get(twice.params));
        QCOMPARE(expression, "2 * [" + gap.id + "] + [" + same->steps[0].id + ".length]");
        // Alone it goes on reading what is there; elsewhere what is missing is named.
        const std::string alone = stepsToText(r, {"gap"});
        const auto here = stepsFromText(r, alone);
        QVERIFY(here && here->missing.empty());
        QCOMPARE(here->steps.front().inputs.at("first"), std::string("left"));
        const auto elsewhere = stepsFromText(Recipe{}, alone);
        QVERIFY(elsewhere);
        QCOMPARE(elsewhere->missing.size(), std::size_t(2));
        QVERIFY(elsewhere->missing.front().find("left") != std::string::npos);
        // Another recipe's step of the same name stands for it.
        Recipe other;
        for (const char* name : {"left", "right"})
            chain(other, "line", std::string("x") + name, [&](Step& s) {
                s.name = name;
                s.regions["window"] = geometry::Region::window({0, 0}, {9, 0}, 9);
            });
        const auto matched = stepsFromText(other, alone);
        QVERIFY(matched && matched->missing.empty());
        QCOMPARE(matched->steps.front().inputs.at("second"), std::string("xright"));
    }
    void whatIsNoStepIsRefused()
    {
        for (const char* text :
             {"", "hello", "{}", "[1]", R"({"dikkat": "steps"})", R"({"dikkat": "steps", "steps": 3})",
              R"({"dikkat": "steps", "steps": [{"id": "a", "kind": "no such kind"}]})",
              R"({"dikkat": 5, "steps": []})"})
            QVERIFY2(!stepsFromText(Recipe{}, text), text);
    }
    void rowsMoveBetweenFloorAndCeiling()
    {
        Recipe r = chainOf();
        const auto refused = moveStep(r, "left", -1);
        QVERIFY(!refused && refused.error().message.find("first") != std::string::npos);
        QVERIFY(moveStep(r, "right", -1));
        QCOMPARE(r.steps.front().id, std::string("right"));
        // The formula reads the distance: it goes no further up.
        const auto held = moveStep(r, "twice", -1);
        QVERIFY(!held && held.error().message.find("needs gap") != std::string::npos);
        const auto ceiling = moveStep(r, "gap", 1);
        QVERIFY(!ceiling && ceiling.error().message.find("twice needs gap") != std::string::npos);
        QCOMPARE(r.steps.size(), std::size_t(4));
    }
    void readersAreFoundThroughOthers()
    {
        const auto all = withReaders(chainOf(), "left");
        QCOMPARE(all, (std::vector<std::string>{"left", "gap", "twice"}));
    }
};

QTEST_APPLESS_MAIN(CopiesTest)
#include "copies_test.moc"
