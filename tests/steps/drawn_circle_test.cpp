#include "steps/drawn_circle/drawn_circle.h"

#include "../drawn_support.h"

using namespace support;
using geometry::Point;
using steps::DrawnCircleParams;

class DrawnCircleTest : public QObject
{
    Q_OBJECT
    static constexpr double kMm = 0.08;
    static double value(const inspect::StepResult& s, const char* key) { return s.output(key)->values.at(0); }

private slots:
    void sizeAndPlaceAreThoseOfThePart()
    {
        const drawing::Drawing d = demo::drawnPart(0);
        const drawing::Outline o = outlineOf(d);
        // Each hole is another one than drawn: larger by 0.1 mm and off by 0.1, 0.05 mm.
        drawing::Drawing other = d;
        recipe::Recipe r = drawnRecipe(d, kMm);
        std::vector<std::size_t> holes;
        for (std::size_t i = 0; i < d.elements.size(); ++i)
            if (d.elements[i].whole()) {
                auto& e = other.elements[i];
                e = drawing::arcElement(e.centre + drawing::sheet({0.1, 0.05}), e.radius + 0.05, 0, 2 * geometry::kPi);
                e.layer = d.elements[i].layer;
                holes.push_back(i);
                chain(r, "drawn_circle", "h" + std::to_string(holes.size()), [&](recipe::Step& s) {
                    s.datum = "A";
                    paramsOf<DrawnCircleParams>(s).element = int(i) + 1;
                });
            }
        QCOMPARE(holes.size(), std::size_t(4));
        const drawing::Outline real = outlineOf(other);
        auto prepared = inspect::Prepared::make(r);
        demo::Random random(3);
        for (int n = 0; n < 5; ++n) {
            Look look;
            const drawing::Laid laid = anywhere(o, kMm, look, random);
            const auto result =
                inspect::evaluate(*prepared, captureOf(pictureOf({{real, laid}}, look, std::uint64_t(n))));
            for (std::size_t k = 0; k < holes.size(); ++k) {
                const auto* s = result.items.at(0).step("h" + std::to_string(k + 1));
                QVERIFY2(s && s->state == inspect::State::Ok, s ? s->reason.c_str() : "");
                const auto& e = d.elements[holes[k]];
                const auto c = drawing::drawn(e.centre);
                QVERIFY2(std::abs(value(*s, "diameter") - 2 * e.radius - 0.1) < 0.02 * kMm * 2,
                         qPrintable(QString::number(value(*s, "diameter"))));
                // The drawing is laid by all edges, the holes among them; they draw it a little.
                QVERIFY2(std::abs(value(*s, "along_x") - c.x - 0.1) < 0.02 &&
                             std::abs(value(*s, "along_y") - c.y - 0.05) < 0.02,
                         qPrintable(QString("%1 %2").arg(value(*s, "along_x") - c.x).arg(value(*s, "along_y") - c.y)));
                QVERIFY(std::abs(value(*s, "position") - 2 * std::hypot(0.1, 0.05)) < 0.04);
                QVERIFY(std::abs(value(*s, "size_off") - 0.1) < 0.005);
                QVERIFY(value(*s, "roundness") < 0.025);
                QVERIFY(value(*s, "seen") > 98);
            }
        }
    }
    void anArcOfTheOutlineIsMeasuredToo()
    {
        const drawing::Drawing d = demo::drawnPart(11); // the cam: R10 and R5
        const drawing::Outline o = outlineOf(d);
        recipe::Recipe r = drawnRecipe(d, kMm);
        for (int i = 0; i < 2; ++i)
            chain(r, "drawn_circle", "a" + std::to_string(i), [&](recipe::Step& s) {
                s.datum = "A";
                paramsOf<DrawnCircleParams>(s).element = i + 1;
            });
        chain(r, "drawn_circle", "line", [&](recipe::Step& s) {
            s.datum = "A";
            paramsOf<DrawnCircleParams>(s).element = 3;
        });
        auto prepared = inspect::Prepared::make(r);
        Look look;
        const auto result =
            inspect::evaluate(*prepared, captureOf(pictureOf({{o, {{{250, 350}, 0.6}, 1 / kMm, false}}}, look, 1)));
        const auto& item = result.items.at(0);
        for (int i = 0; i < 2; ++i) {
            const auto* s = item.step("a" + std::to_string(i));
            QVERIFY2(s->state == inspect::State::Ok, s->reason.c_str());
            QVERIFY2(std::abs(value(*s, "radius") - (i == 0 ? 10 : 5)) < 0.006,
                     qPrintable(QString::number(value(*s, "radius"))));
            QVERIFY(value(*s, "position") < 0.02);
        }
        QVERIFY(item.step("line")->state == inspect::State::Failed);
        QVERIFY(item.step("line")->reason.find("is a line") != std::string::npos);
    }
    void halfAHoleIsNotMeasured()
    {
        const drawing::Drawing d = demo::drawnPart(4);
        const drawing::Outline o = outlineOf(d);
        int hole = 0;
        for (std::size_t i = 0; i < d.elements.size(); ++i)
            if (d.elements[i].whole()) hole = int(i) + 1;
        const auto with = [&](double least) {
            recipe::Recipe r = drawnRecipe(d, kMm);
            chain(r, "drawn_circle", "h", [&](recipe::Step& s) {
                s.datum = "A";
                paramsOf<DrawnCircleParams>(s).element = hole;
                paramsOf<DrawnCircleParams>(s).leastSeen = least;
            });
            auto prepared = inspect::Prepared::make(r);
            Look look;
            const drawing::Laid laid{{{200, 500}, 0.1}, 1 / kMm, false};
            // A bar of the material's level lies over 60 % of it.
            const Point c = laid.toPicture(d.elements[std::size_t(hole - 1)].centre);
            look.over = {box(c.x - 80, c.y - 80, c.x + 12, c.y + 80)};
            return *inspect::evaluate(*prepared, captureOf(pictureOf({{o, laid}}, look, 1))).items.at(0).step("h");
        };
        const auto half = with(70);
        QVERIFY2(half.state == inspect::State::Failed && half.absent, half.reason.c_str());
        QVERIFY2(with(20).state == inspect::State::Ok, with(20).reason.c_str());
    }
    void aHoleThatIsNotThereIsAbsent()
    {
        const drawing::Drawing d = demo::drawnPart(4);
        drawing::Drawing without = d;
        int hole = 0;
        for (std::size_t i = 0; i < d.elements.size(); ++i)
            if (d.elements[i].whole()) hole = int(i) + 1;
        without.elements.erase(without.elements.begin() + hole - 1);
        recipe::Recipe r = drawnRecipe(d, kMm);
        chain(r, "drawn_circle", "h", [&](recipe::Step& s) {
            s.datum = "A";
            paramsOf<DrawnCircleParams>(s).element = hole;
            recipe::Check c;
            c.output = "diameter";
            c.limits.low = 0;
            c.limits.unit = base::Unit::Millimetre;
            s.checks = {c};
        });
        auto prepared = inspect::Prepared::make(r);
        Look look;
        const drawing::Outline real = outlineOf(without);
        const auto result =
            inspect::evaluate(*prepared, captureOf(pictureOf({{real, {{{200, 500}, 0.1}, 1 / kMm, false}}}, look, 1)));
        const auto* s = result.items.at(0).step("h");
        QVERIFY(s->state == inspect::State::Failed && s->absent);
        QVERIFY2(s->reason.find("is not seen") != std::string::npos, s->reason.c_str());
        QVERIFY(result.items[0].rejected());
    }
};

QTEST_APPLESS_MAIN(DrawnCircleTest)
#include "drawn_circle_test.moc"
