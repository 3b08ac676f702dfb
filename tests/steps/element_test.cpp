#include "row_of_boxes.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class ElementTest : public QObject
{
    Q_OBJECT
private slots:
    void byNumberFromEitherEnd()
    {
        for (const auto& [number, x] : {std::pair{1, 30.0}, {3, 135.0}, {-1, 200.0}, {-4, 30.0}}) {
            auto r = group();
            chain(r, "element", "e", [&, n = number](recipe::Step& s) {
                s.inputs = {{"group", "all"}};
                put(s, "number", std::int64_t(n));
            });
            QVERIFY(std::abs(value(runChain(r, row()), "e", "x") - x) < 0.6);
        }
    }
    void beyondTheEndIsNoValue()
    {
        for (const int n : {5, -5, 0}) {
            auto r = group();
            chain(r, "element", "e", [&](recipe::Step& s) {
                s.inputs = {{"group", "all"}};
                put(s, "number", std::int64_t(n));
            });
            QVERIFY(runChain(r, row()).items[0].step("e")->reason.find("no value") != std::string::npos);
        }
    }
    void byPlace()
    {
        auto r = group();
        chain(r, "element", "e", [](recipe::Step& s) {
            s.inputs = {{"group", "all"}};
            put(s, "by", std::string("place"));
            s.points["place"] = {84, 52};
        });
        QCOMPARE(value(runChain(r, row()), "e", "number"), 2.0);
    }
};
QTEST_APPLESS_MAIN(ElementTest)
#include "element_test.moc"
