// Limits, general tolerances, guard band, lists, rules and totals.
#include "inspect/inspect.h"
#include "recipe/naming.h"
#include "support.h"

using namespace support;
using namespace recipe;
using geometry::Point;
using inspect::Verdict;

namespace
{
// Ten discs in a row, some left out, some added; areas in order along x.
Recipe row(std::vector<Point>* places = nullptr)
{
    Recipe r;
    chain(r, "blobs", "discs", [](Step& s) {
        put(s, "objects", std::string("dark"));
        Check c;
        c.output = "areas", c.name = "Size";
        c.limits.unit = base::Unit::SquarePixel;
        s.checks = {c};
    });
    if (places)
        for (int i = 0; i < 10; ++i) places->push_back({50.0 + 50 * i, 100});
    return r;
}
// Radii grow from 8 px by 1: every element has its own nominal area.
double radius(int i) { return 8 + i; }
image::Image discs(const std::set<int>& without, const std::vector<Point>& extra = {})
{
    std::vector<std::vector<Point>> all;
    for (int i = 0; i < 10; ++i)
        if (!without.count(i)) all.push_back(demo::circleOutline({50.0 + 50 * i, 100}, radius(i)));
    for (const Point p : extra) all.push_back(demo::circleOutline(p, 9));
    return draw(all, 560, 200, {}, 1);
}
Check elements(const Recipe& r, Match match)
{
    std::vector<Point> places;
    row(&places);
    Check c = r.steps.front().checks.front();
    c.match = match;
    for (int i = 0; i < 10; ++i) {
        Element e;
        const double area = geometry::kPi * radius(i) * radius(i);
        Limits l;
        l.nominal = area, l.plus = l.minus = 0.05 * area, l.hasTolerance = true, l.unit = base::Unit::SquarePixel;
        e.own = l;
        if (match == Match::Place) e.at = places[std::size_t(i)];
        c.elements.push_back(e);
    }
    return c;
}
} // namespace

class JudgeTest : public QObject
{
    Q_OBJECT
private slots:
    void generalTolerancesAtEveryBorder_data()
    {
        QTest::addColumn<int>("table");
        QTest::addColumn<double>("size");
        QTest::addColumn<double>("f");
        QTest::addColumn<double>("m");
        QTest::addColumn<double>("c");
        QTest::addColumn<double>("v");
        // ISO 2768-1, tables 1 to 3; 0: the standard gives none.
        const auto add = [](int table, double size, double f, double m, double c, double v) {
            QTest::newRow(qPrintable(QString("table %1, %2").arg(table).arg(size, 0, 'f', 3)))
                << table << size << f << m << c << v;
        };
        add(1, 0.5, 0.05, 0.1, 0.2, 0), add(1, 3, 0.05, 0.1, 0.2, 0), add(1, 3.001, 0.05, 0.1, 0.3, 0.5),
            add(1, 6, 0.05, 0.1, 0.3, 0.5);
        add(1, 6.001, 0.1, 0.2, 0.5, 1), add(1, 30, 0.1, 0.2, 0.5, 1), add(1, 30.001, 0.15, 0.3, 0.8, 1.5),
            add(1, 120, 0.15, 0.3, 0.8, 1.5);
        add(1, 120.001, 0.2, 0.5, 1.2, 2.5), add(1, 400, 0.2, 0.5, 1.2, 2.5), add(1, 400.001, 0.3, 0.8, 2, 4),
            add(1, 1000, 0.3, 0.8, 2, 4);
        add(1, 1000.001, 0.5, 1.2, 3, 6), add(1, 2000, 0.5, 1.2, 3, 6), add(1, 2000.001, 0, 2, 4, 8),
            add(1, 4000, 0, 2, 4, 8);
        add(1, 0.499, 0, 0, 0, 0), add(1, 4000.001, 0, 0, 0, 0);
        add(2, 0.5, 0.2, 0.2, 0.4, 0.4), add(2, 3, 0.2, 0.2, 0.4, 0.4), add(2, 3.001, 0.5, 0.5, 1, 1),
            add(2, 6, 0.5, 0.5, 1, 1);
        add(2, 6.001, 1, 1, 2, 2), add(2, 0.499, 0, 0, 0, 0);
        add(3, 10, 1, 1, 1.5, 3), add(3, 10.001, 0.5, 0.5, 1, 2), add(3, 50, 0.5, 0.5, 1, 2),
            add(3, 50.001, 20 / 60., 20 / 60., 0.5, 1);
        add(3, 120, 20 / 60., 20 / 60., 0.5, 1), add(3, 120.001, 10 / 60., 10 / 60., 0.25, 0.5),
            add(3, 400, 10 / 60., 10 / 60., 0.25, 0.5);
        add(3, 400.001, 5 / 60., 5 / 60., 10 / 60., 20 / 60.);
    }
    void generalTolerancesAtEveryBorder()
    {
        QFETCH(int, table);
        QFETCH(double, size);
        QFETCH(double, f);
        QFETCH(double, m);
        QFETCH(double, c);
        QFETCH(double, v);
        const auto is = [&](ToleranceClass k, double want) {
            const auto t = generalTolerance(k, General(table), size);
            return want == 0 ? !t.has_value() : t && std::abs(*t - want) < 1e-12;
        };
        QVERIFY(is(ToleranceClass::F, f) && is(ToleranceClass::M, m) && is(ToleranceClass::C, c) &&
                is(ToleranceClass::V, v));
        QVERIFY(!generalTolerance(ToleranceClass::None, General(table), size));
    }
    void generalToleranceJudgesAndSingleOnesOverride()
    {
        Recipe r;
        r.calibration = geometry::Calibration::factor(0.25, "");
        r.toleranceClass = ToleranceClass::M;
        chain(r, "edge_pair", "width", [](Step& s) {
            s.regions["window"] = geometry::Region::window({40, 100}, {260, 100}, 21);
            s.checks.front().limits = *parseLimits("30 ISO 2768", base::Unit::Millimetre);
        });
        const auto picture = [](double wide) { return draw({box(90, 60, 90 + wide / 0.25, 140)}, 300, 200, {}, 1); };
        QVERIFY(runChain(r, picture(30.15)).accepted());
        const auto off = runChain(r, picture(30.25));
        QVERIFY(!off.accepted());
        QVERIFY(std::abs(*off.items.front().checks.front().high - 30.2) < 1e-9);
        r.toleranceClass = ToleranceClass::C;
        QVERIFY(runChain(r, picture(30.25)).accepted());
        r.steps[0].checks[0].limits = *parseLimits("30 +-0.05", base::Unit::Millimetre);
        QVERIFY(!runChain(r, picture(30.25)).accepted());
        r.steps[0].checks[0].limits = *parseLimits("30 ISO 2768", base::Unit::Millimetre);
        r.toleranceClass = ToleranceClass::None;
        const auto none = runChain(r, picture(30)).items.front().checks.front();
        QCOMPARE(none.verdict, Verdict::NotMeasured);
        QVERIFY(none.reason.find("class") != std::string::npos);
    }
    void anAngleGoesByItsShorterSide()
    {
        const auto l = parseLimits("30 ISO 2768 side 12", base::Unit::Degree);
        QVERIFY(l && l->general == General::Angle && l->shorterSide == 12);
        QCOMPARE(l->text(), std::string("30 ISO 2768 side 12"));
        const auto r = l->resolved(ToleranceClass::M);
        // 10 to 50 mm, class m: 30'
        QVERIFY(r && std::abs(r->plus - 0.5) < 1e-12 && std::abs(*r->lowest() - 29.5) < 1e-12);
        QVERIFY(std::abs(parseLimits("30 ISO 2768 side 400,5", base::Unit::Degree)->resolved(ToleranceClass::F)->plus -
                         5 / 60.) < 1e-12);
        const auto bare = parseLimits("30 ISO 2768", base::Unit::Degree);
        QVERIFY(!bare && bare.error().message.find("shorter side") != std::string::npos);
        QVERIFY(!parseLimits("30 ISO 2768 side", base::Unit::Degree) &&
                !parseLimits("30 ISO 2768 side 0", base::Unit::Degree));
        const auto length = parseLimits("30 ISO 2768 side 12", base::Unit::Millimetre);
        QVERIFY(!length && length.error().message.find("angles only") != std::string::npos);
        // It judges.
        Recipe recipe;
        recipe.toleranceClass = ToleranceClass::M;
        chain(recipe, "formula", "angle", [&](Step& s) {
            put(s, "expression", std::string("30.6"));
            put(s, "unit", std::string("deg"));
            s.checks.front().limits = *l;
        });
        const auto judged = runChain(recipe, draw({}, 60, 60));
        QCOMPARE(judged.items.front().checks.front().verdict, Verdict::Fail);
        recipe.toleranceClass = ToleranceClass::C;
        QVERIFY(runChain(recipe, draw({}, 60, 60)).accepted());
    }
    void whatIsTypedIsKeptToTheLastFigure()
    {
        demo::Random random(9);
        for (int i = 0; i < 2000; ++i) {
            const auto figure = [&] { // up to six decimals, as a person types
                const int decimals = int(random.uniform(0, 6.999));
                return std::round(random.uniform(-200, 200) * std::pow(10, decimals)) / std::pow(10, decimals);
            };
            Limits l;
            l.unit = base::Unit::Millimetre;
            switch (i % 5) {
            case 0: l.low = figure(); break;
            case 1: l.high = figure(); break;
            case 2:
                l.nominal = figure(), l.plus = std::abs(figure()), l.minus = std::abs(figure()), l.hasTolerance = true;
                break;
            case 3: l.nominal = figure(), l.general = i % 2 ? General::Length : General::Radius; break;
            default: {
                const double a = figure(), b = figure();
                l.low = std::min(a, b), l.high = std::max(a, b);
            }
            }
            const auto read = parseLimits(l.text(), l.unit);
            QVERIFY2(read, l.text().c_str());
            QVERIFY2(*read == l, (l.text() + " was read as " + read->text()).c_str());
        }
    }
    void failedElementsAreCountedInRulesAndTotals()
    {
        Recipe r = row();
        r.steps[0].checks = {elements(r, Match::Place)};
        r.totals = {{"Faulty", "[discs.areas.failed]", base::Unit::None},
                    {"Lost", "[discs.missing] + 10 * [discs.surplus]", base::Unit::None}};
        const auto lost = runChain(r, discs({2, 6})), more = runChain(r, discs({0}, {{30, 30}})),
                   whole = runChain(r, discs({}));
        QVERIFY(whole.accepted() && !lost.accepted());
        inspect::Totals totals;
        for (const auto* one : {&lost, &more, &whole}) totals.add(r, *one);
        QCOMPARE(totals.sums()[0].value, 2.0 + 2.0 + 0.0); // two missing; one missing and one surplus
        QCOMPARE(totals.sums()[1].value, 2.0 + 11.0);
        QCOMPARE(totals.sums()[0].items, 3);
        // A part with one missing disc still serves.
        r.rule = "[discs.areas.failed] <= 1";
        QVERIFY(!runChain(r, discs({2, 6})).accepted() && runChain(r, discs({5})).accepted());
        // What was not measured is counted nowhere, and accepts nothing.
        r.steps[0].checks[0].limits.unit = base::Unit::SquareMillimetre;
        for (auto& e : r.steps[0].checks[0].elements) e.own->unit = base::Unit::SquareMillimetre;
        const auto blind = runChain(r, discs({5}));
        QVERIFY(!blind.accepted());
        QVERIFY2(blind.items.front().reason.find("was not measured") != std::string::npos,
                 blind.items.front().reason.c_str());
        inspect::Totals none;
        none.add(r, blind);
        QVERIFY(none.sums()[0].items == 0 && none.sums()[0].left == 1);
        // A formula is worked out before anything is judged.
        chain(r, "formula", "early", [](Step& s) { put(s, "expression", std::string("[discs.failed]")); });
        const auto early = runChain(r, discs({}));
        QVERIFY2(reason(early).find("in totals only") != std::string::npos, reason(early).c_str());
        // Names the person gave lead there and back.
        r.steps[0].name = "Control discs";
        QCOMPARE(withIds("[Control discs.areas.failed] > 0", r), std::string("[discs.areas.failed] > 0"));
        QCOMPARE(withNames("[discs.failed]", r), std::string("[Control discs.failed]"));
    }
    void aLimitMissedByAHairSaysSo()
    {
        Recipe r;
        chain(r, "edge_pair", "width", [](Step& s) {
            s.regions["window"] = geometry::Region::window({40, 100}, {260, 100}, 21);
        });
        const auto judged = [&] {
            return runChain(r, draw({box(90, 60, 210, 140)}, 300, 200, {}, 0)).items.front().checks.front();
        };
        const double width = judged().values.front();
        Limits& l = r.steps[0].checks[0].limits;
        l.unit = base::Unit::Pixel, l.low = width + 1e-7, l.high = 200;
        QVERIFY2(judged().reason.find("missed by less than the figures shown") != std::string::npos,
                 judged().reason.c_str());
        l.low = width + 1;
        QVERIFY(judged().verdict == Verdict::Fail && judged().reason.find("missed by") == std::string::npos);
    }
    void theGuardBandFailsWhatCannotBeProved()
    {
        Recipe r;
        chain(r, "edge_pair", "width", [](Step& s) {
            s.regions["window"] = geometry::Region::window({40, 100}, {260, 100}, 21);
            s.checks.front().limits = *parseLimits("120 +-1", base::Unit::Pixel);
            s.checks.front().uncertainty = 0.3;
        });
        const auto judged = [&](double wide) {
            return runChain(r, draw({box(90, 60, 90 + wide, 140)}, 300, 200, {}, 0.5)).items.front().checks.front();
        };
        QCOMPARE(judged(120.85).verdict, Verdict::Pass);
        r.guardBand = true;
        QCOMPARE(judged(120.5).verdict, Verdict::Pass);
        const auto c = judged(120.85);
        QCOMPARE(c.verdict, Verdict::Fail);
        QVERIFY2(c.reason.find("within uncertainty") == 0 && c.reason.find("upper") != std::string::npos,
                 c.reason.c_str());
        QVERIFY(judged(119.15).reason.find("lower") != std::string::npos);
        QVERIFY(judged(121.5).reason.find("at most") == 0);
        QCOMPARE(c.guard, 0.3);
    }
    void byPlaceOneMissingObjectIsOneFailure()
    {
        Recipe r = row();
        r.steps.front().checks.front() = elements(r, Match::Place);
        QVERIFY2(runChain(r, discs({})).accepted(), runChain(r, discs({})).items.front().sentence().c_str());
        const auto result = runChain(r, discs({2}));
        const auto& c = result.items.front().checks.front();
        QCOMPARE(c.verdict, Verdict::Fail);
        QCOMPARE(c.failed(), std::vector<int>{3});
        QCOMPARE(c.missing, 1);
        QCOMPARE(QString::fromStdString(c.reason), QString("3 missing"));
        QVERIFY(c.elements[2].value == -1 && geometry::distance(*c.elements[2].at, {150, 100}) < 1e-9);
        QVERIFY(c.elements[3].value == 2 && c.elements[3].verdict == Verdict::Pass);
    }
    void byOrderTheReasonForMoreFailuresIsSaid()
    {
        Recipe r = row();
        r.steps.front().checks.front() = elements(r, Match::Order);
        QVERIFY(runChain(r, discs({})).accepted());
        const auto c = runChain(r, discs({2})).items.front().checks.front();
        QCOMPARE(c.verdict, Verdict::Fail);
        QCOMPARE(c.failed(), (std::vector<int>{3, 4, 5, 6, 7, 8, 9, 10}));
        QVERIFY2(c.reason.find("9 values for 10 elements") == 0 && c.reason.find("match by place") != std::string::npos,
                 c.reason.c_str());
        QVERIFY(c.elements.back().value == -1 && c.elements.back().reason == "missing");
    }
    void surplusAndMisplacedObjectsAreNamed()
    {
        Recipe r = row();
        Check c = elements(r, Match::Place);
        c.elements[4].name = "reed 5";
        r.steps.front().checks.front() = c;
        const auto surplus = runChain(r, discs({}, {{300, 160}})).items.front().checks.front();
        QCOMPARE(surplus.surplus, 1);
        QVERIFY2(surplus.reason.find("surplus object at 300, 160 px") != std::string::npos, surplus.reason.c_str());
        // Moved away from its place by more than half the pitch: missing there, surplus here.
        const auto moved = runChain(r, discs({4}, {{250, 135}})).items.front().checks.front();
        QVERIFY(moved.missing == 1 && moved.surplus == 1);
        QVERIFY(moved.reason.find("reed 5 missing") != std::string::npos);
    }
    void placesFollowTheDatum()
    {
        // The same list matched on a shifted picture: its datum is the first disc.
        Recipe r = row();
        r.reference = *makeAsset("reference.png", *image::encodePng(discs({})), "");
        Step all = r.steps.front();
        all.id = "all", all.name = "All", all.checks.clear();
        Step datum = makeStep(r, *findKind("blob_datum"));
        datum.id = "A", datum.inputs["blobs"] = "all";
        put(datum, "of", std::string("first"));
        put(datum, "turned", false);
        Step list = r.steps.front();
        list.datum = "A";
        list.checks = {elements(r, Match::Place)};
        r.steps = {all, datum, list};
        std::vector<std::vector<Point>> shifted;
        for (int i = 0; i < 10; ++i)
            if (i != 6) shifted.push_back(demo::circleOutline({80.0 + 50 * i, 140}, radius(i)));
        const auto result = runChain(r, draw(shifted, 620, 240, {}, 1));
        const auto& c = result.items.front().checks.back();
        QCOMPARE(QString::fromStdString(c.reason), QString("7 missing"));
    }
    void rowsAndColumnsOfPlaces()
    {
        const auto grid = gridOfPlaces(2, 3, {10, 20}, {5, 1}, {-1, 7});
        QCOMPARE(grid.size(), std::size_t(6));
        QCOMPARE(QString::fromStdString(grid[5].name), QString("2.3"));
        QVERIFY(*grid[5].at == Point({10 + 10 - 1, 20 + 2 + 7}));
    }
    void aRuleDecidesInsteadOfAllChecks()
    {
        Recipe r;
        for (const char* id : {"a", "b", "c"})
            chain(r, "edge_pair", id, [&](Step& s) {
                s.regions["window"] = geometry::Region::window({40, 100}, {260, 100}, 21);
                s.checks.front().limits = *parseLimits(*id == 'c' ? "5" : "120 +-1", base::Unit::Pixel);
            });
        const auto picture = [] { return draw({box(90, 60, 210, 140)}, 300, 200, {}, 0.5); };
        QVERIFY(!runChain(r, picture()).accepted());
        r.rule = "[a] and ([b] or [c])";
        auto result = runChain(r, picture());
        QVERIFY(result.accepted());
        QCOMPARE(QString::fromStdString(result.items.front().word), QString("ACCEPT"));
        r.rule = "[a] and [c.distance]";
        r.acceptWord = "GOOD", r.rejectWord = "SORT OUT";
        result = runChain(r, picture());
        QVERIFY(!result.accepted());
        QCOMPARE(QString::fromStdString(result.items.front().word), QString("SORT OUT"));
        r.rule = "[a] and (";
        result = runChain(r, picture());
        QVERIFY(!result.accepted() && result.items.front().reason.find("rule") != std::string::npos);
        r.rule = "[nothing]";
        QVERIFY(!runChain(r, picture()).accepted());
    }
    void eachCheckSaysItsOwnFault()
    {
        Recipe r;
        chain(r, "edge_pair", "w", [&](Step& s) {
            s.regions["window"] = geometry::Region::window({40, 100}, {260, 100}, 21);
            s.checks.front().limits = *parseLimits("5", base::Unit::Pixel);
            s.checks.front().fault = "bar too wide";
        });
        const auto s = runChain(r, draw({box(90, 60, 210, 140)}, 300, 200, {}, 0.5)).items.front().sentence();
        QVERIFY2(s.find("bar too wide") == 0, s.c_str());
    }
    void totalsAddUpOverItemsAndStartAnew()
    {
        Recipe r = row();
        r.totals = {{"Discs", "[discs.count]", base::Unit::None},
                    {"Worth", "[discs.count] * 0.25", base::Unit::None},
                    {"Lost", "[gone]", base::Unit::None}};
        inspect::Totals t;
        t.add(r, runChain(r, discs({})));
        t.add(r, runChain(r, discs({1, 2, 3})));
        QCOMPARE(t.items(), 2);
        QCOMPARE(t.sums()[0].value, 17.0);
        QCOMPARE(t.sums()[1].value, 4.25);
        QCOMPARE(t.sums()[2].left, 2);
        QVERIFY(!t.sums()[2].reason.empty());
        t.reset();
        QVERIFY(t.sums().empty() && t.items() == 0);
        t.add(r, runChain(r, discs({0})));
        QCOMPARE(t.sums()[0].value, 9.0);
    }
    void allOfItIsStoredAndReadBack()
    {
        Recipe r = row();
        r.steps.front().checks.front() = elements(r, Match::Place);
        Check& c = r.steps.front().checks.front();
        c.balloon = 1, c.fault = "a disc is wrong", c.uncertainty = 2.5, c.reach = 17, c.labelAt = Point{3, 4};
        c.elements[0].own->general = General::None;
        r.rule = "[discs]", r.acceptWord = "YES", r.rejectWord = "NO", r.guardBand = true,
        r.toleranceClass = ToleranceClass::V;
        r.shownIn = base::Unit::Micrometre;
        r.totals = {{"All", "[discs.count]", base::Unit::None}};
        QTemporaryDir dir;
        const auto path = dir.filePath("a.json").toStdString();
        QVERIFY(save(r, path).has_value());
        const auto back = load(path);
        QVERIFY2(back.has_value(), back ? "" : back.error().text().c_str());
        QVERIFY(back->steps.front().checks.front() == c);
        QVERIFY(back->rule == r.rule && back->acceptWord == "YES" && back->guardBand &&
                back->toleranceClass == ToleranceClass::V);
        QVERIFY(back->shownIn == base::Unit::Micrometre && back->totals == r.totals);
    }
    void wrongFilesAreRefusedByField_data()
    {
        QTest::addColumn<QString>("check");
        QTest::addColumn<QString>("says");
        QTest::newRow("both") << R"("nominal": 5, "general": "length", "low": 1, "unit": "px2")"
                              << "not both";
        QTest::newRow("no nominal") << R"("general": "length", "unit": "px2")"
                                    << "needs a nominal";
        QTest::newRow("kind") << R"("nominal": 5, "general": "hole", "unit": "px2")"
                              << "general = \"hole\"";
        QTest::newRow("match") << R"("match": "nearest")"
                               << "match = \"nearest\"";
        QTest::newRow("place without places") << R"("match": "place")"
                                              << "needs elements";
        QTest::newRow("element without place") << R"("match": "place", "elements": [{"name": "x"}])"
                                               << "elements[0]";
        QTest::newRow("element limits") << R"("elements": [{"low": 5, "high": 1}], "unit": "px2")"
                                        << "low = 5 is above high = 1";
        QTest::newRow("uncertainty") << R"("uncertainty": -1)"
                                     << "uncertainty = -1 is below 0";
        QTest::newRow("angle") << R"("nominal": 5, "general": "angle", "unit": "deg")"
                               << "shorter_side";
        QTest::newRow("grid") << R"("grid": {"rows": 0, "columns": 2, "first": [0,0], "column": [1,0], "row": [0,1]})"
                              << "rows = 0";
    }
    void wrongFilesAreRefusedByField()
    {
        QFETCH(QString, check);
        QFETCH(QString, says);
        QTemporaryDir dir;
        const auto path = dir.filePath("a.json").toStdString();
        const QString text =
            QString(
                R"({"format": "dikkat-recipe", "version": 1, "steps": [{"id": "b", "kind": "blobs", "checks": [{"output": "areas", %1}]}]})")
                .arg(check);
        QVERIFY(base::realFiles().write(path, text.toStdString()).has_value());
        const auto r = load(path);
        QVERIFY(!r);
        QVERIFY2(r.error().text().find(says.toStdString()) != std::string::npos, r.error().text().c_str());
        QVERIFY(r.error().text().find("checks[0]") != std::string::npos);
    }
};
QTEST_APPLESS_MAIN(JudgeTest)
#include "judge_test.moc"
