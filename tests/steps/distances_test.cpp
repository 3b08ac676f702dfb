#include "row_of_boxes.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class DistancesTest : public QObject
{
    Q_OBJECT
private slots:
    void fromTheDatumAndFromALine()
    {
        auto r = group();
        chain(r, "line", "edge", [](recipe::Step& s) { s.regions["window"] = Region::window({20, 56}, {20, 44}, 12); });
        chain(r, "distances", "d", [](recipe::Step& s) { s.inputs = {{"each", "all"}, {"from", "edge"}}; });
        chain(r, "distances", "x", [](recipe::Step& s) {
            s.inputs = {{"each", "all"}};
            put(s, "along", std::string("datum_x"));
        });
        const auto result = runChain(r, row());
        const auto& d = result.items[0].step("d")->output("distances")->values;
        const auto& x = result.items[0].step("x")->output("distances")->values;
        const double truth[] = {30, 80, 135, 200};
        QCOMPARE(d.size(), std::size_t(4));
        for (std::size_t i = 0; i < 4; ++i)
            QVERIFY(std::abs(d[i] - (truth[i] - 20)) < 0.6 && std::abs(x[i] - truth[i]) < 0.6);
        QCOMPARE(value(result, "d", "least"), d[0]);
        QCOMPARE(value(result, "d", "greatest"), d[3]);
    }
};
QTEST_APPLESS_MAIN(DistancesTest)
#include "distances_test.moc"
