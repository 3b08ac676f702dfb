#include "../height_support.h"

using namespace support;
using geometry::Region;

class SectionTest : public QObject
{
    Q_OBJECT
    static recipe::Recipe through(const std::function<void(recipe::Step&)>& edit)
    {
        recipe::Recipe r;
        chain(r, "section", "s", [&](recipe::Step& s) {
            s.regions["window"] = Region::window({10, 30}, {190, 30}, 15);
            edit(s);
        });
        return r;
    }
    static image::Capture roof(double missing = 0)
    {
        return heightCapture(
            heights::picture(200, 60, [](double x, double) { return x < 100 ? 0.02 * x : 2 - 0.01 * (x - 100); },
                             {0.003, missing, true, 0.001, -5, 0.05, 4}));
    }

private slots:
    void twoLinesAndTheirAngle()
    {
        const auto r = through(
            [](recipe::Step& s) { put(s, "first", std::string("line")), put(s, "second", std::string("line")); });
        const auto result = runOn(r, roof());
        const double a = geometry::degrees(std::atan(0.02 / 0.05)), b = geometry::degrees(std::atan(0.01 / 0.05));
        QVERIFY2(std::abs(value(result, "angle") - a) < 0.05 && std::abs(value(result, "second_angle") + b) < 0.05,
                 reason(result).c_str());
        QVERIFY(std::abs(value(result, "between") - (180 - a - b)) < 0.1);
        QVERIFY(std::abs(value(result, "highest") - 1.99) < 0.03 && std::abs(value(result, "at_highest") - 90) < 3);
        QVERIFY(std::abs(value(result, "range") - 1.79) < 0.05 && value(result, "covered") == 100);
        QVERIFY(value(result, "straightness") < 0.01);
        const auto e = inspect::evidence(*inspect::Prepared::make(r), roof(), result.items.front(), "s");
        QVERIFY(e && e->curves.size() == 5 && e->xLabel == "mm");
        const auto none = runOn(r, heightCapture(heights::picture(200, 60, [](double, double) { return kGone; })));
        QVERIFY(fails(none, "no point was measured"));
    }
    void missingPointsAreNotFilled()
    {
        const auto r = through([](recipe::Step& s) { put(s, "first", std::string("line")); });
        const auto holes = heightCapture(
            heights::picture(200, 60, [](double x, double) { return x > 40 && x < 70 ? kGone : 0.02 * x; }));
        const auto result = runOn(r, holes);
        QVERIFY(std::abs(value(result, "covered") - 100 * (181 - 29) / 181.0) < 2);
        const auto e = inspect::evidence(*inspect::Prepared::make(r), holes, result.items.front(), "s");
        QVERIFY(e && e->gaps.size() == 1);
        QVERIFY(std::any_of(e->curves[0].y.begin(), e->curves[0].y.end(), [](double y) { return std::isnan(y); }));
        QVERIFY(std::abs(value(result, "angle") - geometry::degrees(std::atan(0.02 / 0.05))) < 0.01);
    }
    void anArc()
    {
        const auto c = heightCapture(heights::picture(200, 60,
                                                      [](double x, double) {
                                                          const double d = (x - 100) * 0.05;
                                                          return std::sqrt(36 - d * d) - 4;
                                                      },
                                                      {0.003, 0.2, true, 0.001, -5, 0.05, 4}));
        const auto result = runOn(through([](recipe::Step& s) {
                                      put(s, "first", std::string("arc")), put(s, "first_from", 0.0),
                                          put(s, "first_to", 100.0);
                                  }),
                                  c);
        QVERIFY2(std::abs(value(result, "radius") - 6) < 0.02 && std::abs(value(result, "centre_height") + 4) < 0.02,
                 qPrintable(QString::number(value(result, "radius"))));
        // Without a scale there is no radius, and that is said.
        std::vector<image::Picture> plain;
        plain.push_back(image::makeHeights(c.first().pixels.clone(), {}, ""));
        const auto unknown =
            runOn(through([](recipe::Step& s) { put(s, "first", std::string("arc")); }), {"x", std::move(plain)});
        QVERIFY(std::isnan(value(unknown, "radius")) &&
                unknown.items.front().steps.back()->note.find("how many mm") != std::string::npos);
        QVERIFY(value(unknown, "range") > 0);
    }
    void aGrooveAndARidge()
    {
        for (const double sign : {1.0, -1.0}) {
            const auto c = heightCapture(
                heights::picture(200, 60,
                                 [&](double x, double) {
                                     const double d = std::abs(x - 104);
                                     return 0.003 * x - sign * (d < 20 ? 0.5 : d < 30 ? 0.05 * (30 - d) : 0);
                                 },
                                 {0.003, 0, true, 0.001, -5, 0.05, 4}));
            const auto result = runOn(
                through([&](recipe::Step& s) { put(s, "groove", std::string(sign > 0 ? "groove" : "ridge")); }), c);
            QVERIFY2(std::abs(value(result, "depth") - 0.5) < 0.005 &&
                         std::abs(value(result, "groove_width") - 50) < 0.3,
                     reason(result).c_str());
            const auto made = offers("section", c, stroke({15, 30}, {185, 30}));
            QVERIFY(made.size() == 1 && made[0].words == (sign > 0 ? "depth of the groove" : "height of the ridge"));
        }
    }
};
QTEST_APPLESS_MAIN(SectionTest)
#include "section_test.moc"
