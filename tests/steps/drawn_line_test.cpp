#include "steps/drawn_line/drawn_line.h"

#include "../drawn_support.h"

using namespace support;
using geometry::Point;
using steps::DrawnLineParams;

class DrawnLineTest : public QObject
{
    Q_OBJECT
    static constexpr double kMm = 0.08;
    static int lineAt(const drawing::Drawing& d, drawing::DrawnPoint middle)
    {
        for (std::size_t i = 0; i < d.elements.size(); ++i)
            if (!d.elements[i].arc &&
                geometry::distance(d.elements[i].at(d.elements[i].length() / 2), drawing::sheet(middle)) < 1)
                return int(i) + 1;
        return 0;
    }

private slots:
    void widthsAndAnglesAreMeasuredFromDrawnEdges()
    {
        const drawing::Drawing d = demo::drawnPart(0); // 50 × 20 mm
        // The part is wider by 0.2 mm at its upper edge.
        demo::Pencil p;
        p.box(0, 0, 50, 20.2, 1)
            .on("holes")
            .circle({4, 4}, 1.6)
            .circle({46, 4}, 1.6)
            .circle({4, 16}, 1.6)
            .circle({40, 15}, 2);
        for (int i = 0; i < 4; ++i) p.box(10 + 7 * i, 5, 12 + 7 * i, 15);
        const drawing::Outline real = outlineOf(p.done());
        recipe::Recipe r = drawnRecipe(d, kMm);
        const int low = lineAt(d, {25, 0}), high = lineAt(d, {25, 20}), left = lineAt(d, {0, 10});
        QVERIFY(low && high && left);
        for (const auto& [id, element] : {std::pair{"low", low}, {"high", high}, {"left", left}})
            chain(r, "drawn_line", id, [&](recipe::Step& s) {
                s.datum = "A";
                paramsOf<DrawnLineParams>(s).element = element;
            });
        for (const auto& [kind, a, b] : {std::tuple{"distance", "low", "high"}, {"angle", "low", "left"}})
            chain(r, kind, std::string(kind), [&](recipe::Step& s) {
                s.datum = "A";
                s.inputs = {{"first", a}, {"second", b}};
            });
        auto prepared = inspect::Prepared::make(r);
        QVERIFY(prepared);
        demo::Random random(7);
        for (int n = 0; n < 5; ++n) {
            Look look;
            const drawing::Laid laid = anywhere(real, kMm, look, random);
            const auto result =
                inspect::evaluate(*prepared, captureOf(pictureOf({{real, laid}}, look, std::uint64_t(n))));
            const auto& item = result.items.at(0);
            for (const char* id : {"low", "high", "left", "distance", "angle"})
                QVERIFY2(item.step(id)->state == inspect::State::Ok, item.step(id)->reason.c_str());
            QVERIFY2(std::abs(item.step("distance")->outputs.front().values[0] - 20.2) < 0.003,
                     qPrintable(QString::number(item.step("distance")->outputs.front().values[0])));
            QVERIFY(std::abs(item.step("angle")->outputs.front().values[0] - 90) < 0.02);
            QVERIFY(item.step("high")->output("straightness")->values[0] < 0.03);
            const double off =
                item.step("high")->output("offset")->values[0] + item.step("low")->output("offset")->values[0];
            QVERIFY2(std::abs(off - 0.2) < 0.01, qPrintable(QString::number(off)));
            QVERIFY(std::abs(item.step("low")->output("length")->values[0] - 48) < 0.05);
        }
    }
    void anEdgeThatIsNotThereIsAbsent()
    {
        const drawing::Drawing d = demo::drawnPart(4);
        recipe::Recipe r = drawnRecipe(d, kMm);
        chain(r, "drawn_line", "l", [&](recipe::Step& s) {
            s.datum = "A";
            paramsOf<DrawnLineParams>(s).element = lineAt(d, {18, 0});
        });
        const drawing::Outline o = outlineOf(d);
        auto prepared = inspect::Prepared::make(r);
        Look look;
        const drawing::Laid laid{{{200, 500}, 0}, 1 / kMm, false};
        // Something lies over the lower edge.
        look.over = {box(200 - 20, 480, 200 + 520, 560)};
        const auto result = inspect::evaluate(*prepared, captureOf(pictureOf({{o, laid}}, look, 1)));
        const auto* s = result.items.at(0).step("l");
        QVERIFY(s && s->state != inspect::State::Ok);
        QVERIFY2(result.items[0].step("A")->state != inspect::State::Ok || s->absent, s->reason.c_str());
    }
};

QTEST_APPLESS_MAIN(DrawnLineTest)
#include "drawn_line_test.moc"
