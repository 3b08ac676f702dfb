#include "../height_support.h"

using namespace support;
using geometry::Region;

class HeightParallelismTest : public QObject
{
    Q_OBJECT
private slots:
    // A table tilted against the ground by 0.002 mm a px over 50 px: 0.1 mm, however the whole lies.
    void againstTheBase()
    {
        const auto c = heightCapture(heights::picture(160, 100, [](double x, double y) {
            const bool on = x >= 90 && x <= 140 && y > 20 && y < 80;
            return 0.004 * x - 0.002 * y + (on ? 0.5 + 0.002 * (x - 90) : 0.0);
        }));
        recipe::Recipe r;
        chain(r, "height_base", "b", [](recipe::Step& s) {
            s.regions["region"] = Region::rectangle({40, 50}, 70, 90);
        });
        chain(r, "height_parallelism", "p", [](recipe::Step& s) {
            s.inputs = {{"base", "b"}};
            s.regions["region"] = Region::polygon({{89.6, 25}, {140.4, 25}, {140.4, 75}, {89.6, 75}});
        });
        QVERIFY2(std::abs(value(runOn(r, c), "parallelism") - 0.1 / std::sqrt(1 + 0.0000001)) < 2e-3,
                 qPrintable(QString::number(value(runOn(r, c), "parallelism"))));
        r.steps[1].inputs.clear();
        QVERIFY(fails(runOn(r, c), "input missing"));
    }
};
QTEST_APPLESS_MAIN(HeightParallelismTest)
#include "height_parallelism_test.moc"
