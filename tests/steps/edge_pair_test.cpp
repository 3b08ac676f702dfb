#include "../support.h"

using namespace support;
using geometry::Region;

class EdgePairTest : public QObject
{
    Q_OBJECT
    // Three bars: edges at 20 30 50 70 90 100.
    static image::Image bars() { return draw({box(20, 5, 30, 55), box(50, 5, 70, 55), box(90, 5, 100, 55)}, 130, 60); }
    static inspect::PictureResult run(const std::function<void(recipe::Step&)>& edit, double mm = 0)
    {
        return runStep(
            "edge_pair", bars(),
            [&](recipe::Step& s) {
                s.regions["window"] = Region::window({5, 30}, {120, 30}, 15);
                edit(s);
            },
            mm);
    }
private slots:
    void rules_data()
    {
        QTest::addColumn<QString>("rule");
        QTest::addColumn<QString>("first");
        QTest::addColumn<int>("from");
        QTest::addColumn<int>("to");
        QTest::addColumn<double>("distance");
        QTest::newRow("outermost") << "outermost"
                                   << "any" << 1 << 1 << 80.0;
        QTest::newRow("outermost, bright to dark") << "outermost"
                                                   << "bright_to_dark" << 1 << 1 << 80.0;
        QTest::newRow("outermost, dark to bright") << "outermost"
                                                   << "dark_to_bright" << 1 << 1 << 60.0;
        QTest::newRow("innermost") << "innermost"
                                   << "any" << 1 << 1 << 20.0;
        QTest::newRow("second to last but one") << "numbered"
                                                << "any" << 2 << 2 << 60.0;
        QTest::newRow("third to last but two") << "numbered"
                                               << "any" << 3 << 3 << 20.0;
    }
    void rules()
    {
        QFETCH(QString, rule);
        QFETCH(QString, first);
        QFETCH(int, from);
        QFETCH(int, to);
        QFETCH(double, distance);
        const auto r = run([&](recipe::Step& s) {
            put(s, "rule", rule.toStdString());
            put(s, "first", first.toStdString());
            put(s, "first_number", std::int64_t(from));
            put(s, "last_number", std::int64_t(to));
        });
        QVERIFY2(std::abs(value(r, "distance") - distance) < 0.04, qPrintable(QString::number(value(r, "distance"))));
    }
    void calibratedDistanceIsInMillimetres()
    {
        const auto r = run([](recipe::Step&) {}, 0.05);
        QVERIFY(std::abs(value(r, "distance") - 4.0) < 0.002);
        QCOMPARE(int(r.items[0].steps[0]->output("distance")->unit), int(base::Unit::Millimetre));
    }
    void oneOfTwoIsSaid()
    {
        const auto r = runStep("edge_pair", bars(), [](recipe::Step& s) {
            s.regions["window"] = Region::window({5, 30}, {25, 30}, 15);
        });
        QCOMPARE(reason(r), std::string("1 of 2 edges found"));
    }
    void aNumberThatIsNotThereIsSaid()
    {
        const auto r = run([](recipe::Step& s) {
            put(s, "rule", std::string("numbered"));
            put(s, "first_number", std::int64_t(9));
        });
        QVERIFY2(reason(r).find("edge 9 from the start is not there; 6 were found") == 0, reason(r).c_str());
    }
    void mirroringChangesNothing()
    {
        image::Image p = bars(), m(p.width(), p.height(), p.format());
        for (int y = 0; y < p.height(); ++y)
            for (int x = 0; x < p.width(); ++x) m.row(y)[x] = p.row(y)[p.width() - 1 - x];
        const auto edit = [](recipe::Step& s) { s.regions["window"] = Region::window({5, 30}, {124, 30}, 15); };
        QVERIFY(std::abs(value(runStep("edge_pair", std::move(p), edit), "distance") -
                         value(runStep("edge_pair", std::move(m), edit), "distance")) < 1e-6);
    }
};
QTEST_APPLESS_MAIN(EdgePairTest)
#include "edge_pair_test.moc"
