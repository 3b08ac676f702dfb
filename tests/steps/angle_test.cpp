#include "wedge.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class AngleTest : public QObject
{
    Q_OBJECT
private slots:
    void everySector()
    {
        for (const auto& [sector, truth] :
             {std::pair{"acute", 10.0}, {"obtuse", 170.0}, {"directed", 350.0}, {"signed", -10.0}}) {
            auto r = wedge(10);
            chain(r, "angle", "a", [&, key = sector](recipe::Step& s) {
                s.inputs = {{"first", "top"}, {"second", "low"}};
                put(s, "sector", std::string(key));
            });
            const auto result = runChain(r, picture(10));
            QVERIFY2(std::abs(value(result, "a", "angle") - truth) < 0.05,
                     qPrintable(QString::number(value(result, "a", "angle"))));
        }
    }
    void againstTheDatum()
    {
        auto r = wedge(10);
        chain(r, "angle", "a", [](recipe::Step& s) { s.inputs = {{"first", "low"}}; });
        QVERIFY(std::abs(value(runChain(r, picture(10)), "a", "angle") - 10) < 0.05);
    }
};
QTEST_APPLESS_MAIN(AngleTest)
#include "angle_test.moc"
