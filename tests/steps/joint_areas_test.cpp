#include "steps/joint_areas/joint_areas.h"

#include "../same_support.h"

using namespace support;
using geometry::Point;
using geometry::Region;
using steps::JointAreasParams;

namespace
{
constexpr int kW = 400, kH = 160;
// Four places of 40 × 30 px in a row; what is bright is a joint.
inspect::PictureResult seen(const demo::Outlines& bright, const std::function<void(JointAreasParams&)>& edit = {},
                            int places = 4)
{
    demo::Random random(6);
    demo::Ink ink{{210, 210, 210}, bright};
    auto picture = demo::painted({50, 50, 50}, {ink}, kW, kH, {}, random, false);
    return runStep("joint_areas", std::move(picture), [&](recipe::Step& s) {
        auto& p = *std::any_cast<JointAreasParams>(&s.params);
        p.mode = steps::TakeBy::Fixed, p.low = 130, p.high = 255;
        if (edit) edit(p);
        for (int i = 0; i < places; ++i) {
            recipe::Place one;
            one.name = std::string(1, char('a' + i));
            one.at = {60.0 + 90 * i, 80};
            one.outline = Region::rectangle(one.at, 40, 30);
            s.places.push_back(one);
        }
    });
}
std::vector<Point> joint(int i, double w, double h, Point by = {}) { return bar(Point{60.0 + 90 * i, 80} + by, w, h); }
std::string says(const inspect::PictureResult& r, int i)
{
    const auto* s = r.items.front().steps.back().get();
    return s->elementSays("ratios", std::size_t(i));
}
double listed(const inspect::PictureResult& r, const char* key, int i)
{
    const auto* v = r.items.front().steps.back()->output(key);
    return v && std::size_t(i) < v->values.size() ? v->values[std::size_t(i)] : std::nan("");
}
} // namespace

class JointAreasTest : public QObject
{
    Q_OBJECT
private slots:
    void sharesAreThoseThatWereDrawn()
    {
        const auto r = seen({joint(0, 40, 30), joint(1, 40, 15), joint(2, 20, 15), joint(3, 30, 20)});
        QVERIFY(r.items.front().steps.back()->state == inspect::State::Ok);
        QVERIFY(std::abs(listed(r, "shares", 0) - 100) < 5);
        QVERIFY(std::abs(listed(r, "shares", 1) - 50) < 4);
        QVERIFY(std::abs(listed(r, "shares", 2) - 25) < 4);
        QVERIFY(std::abs(listed(r, "shares", 3) - 50) < 4);
        QVERIFY(says(r, 0).empty());
        QVERIFY(QString::fromStdString(says(r, 2)).startsWith(QStringLiteral("too little: 2")));
    }
    void noneTooMuchStickingOutAndBridged()
    {
        const auto more = [](JointAreasParams& p) { p.most = 90, p.least = 20; };
        auto r = seen({joint(0, 26, 20), joint(2, 40, 30), joint(3, 26, 20, {16, 0})}, more);
        QVERIFY(says(r, 0).empty());
        QCOMPARE(QString::fromStdString(says(r, 1)), QStringLiteral("none"));
        QVERIFY(QString::fromStdString(says(r, 2)).startsWith(QStringLiteral("too much: 1")) ||
                QString::fromStdString(says(r, 2)).startsWith(QStringLiteral("too much: 9")));
        QCOMPARE(QString::fromStdString(says(r, 3)), QStringLiteral("sticks out"));
        QVERIFY(std::abs(listed(r, "sticking", 3) - 9 * 20) < 25);
        QCOMPARE(value(r, "count"), 3.0);
        // A thread from a to b; c and d each by themselves.
        r = seen({joint(0, 26, 20), joint(1, 26, 20), bar({105, 80}, 80, 4), joint(2, 26, 20), joint(3, 26, 20)}, more);
        QCOMPARE(QString::fromStdString(says(r, 0)), QStringLiteral("bridged with b"));
        QCOMPARE(QString::fromStdString(says(r, 1)), QStringLiteral("bridged with a"));
        QVERIFY(says(r, 2).empty() && says(r, 3).empty());
        QCOMPARE(value(r, "bridged"), 2.0);
        // One that passes close by touches neither.
        r = seen({joint(0, 26, 20), joint(1, 26, 20), bar({105, 50}, 80, 4)}, more, 2);
        QVERIFY(says(r, 0).empty() && says(r, 1).empty());
    }
    void oneGreyEverywhereHasNoJoint()
    {
        const auto r = seen({});
        for (int i = 0; i < 4; ++i) QCOMPARE(QString::fromStdString(says(r, i)), QStringLiteral("none"));
        QCOMPARE(value(r, "count"), 4.0);
        const auto automatic = seen({}, [](JointAreasParams& p) { p.mode = steps::TakeBy::Automatic; });
        QVERIFY(automatic.items.front().steps.back()->state != inspect::State::Ok || value(automatic, "count") > 0);
    }
    void aPlaceBeyondTheBorderIsNotMeasured()
    {
        demo::Random random(6);
        const auto r =
            runStep("joint_areas", demo::painted({50, 50, 50}, {}, kW, kH, {}, random, false), [&](recipe::Step& s) {
                recipe::Place one;
                one.name = "1", one.at = {5, 80}, one.outline = Region::rectangle({5, 80}, 40, 30);
                s.places.push_back(one);
            });
        QVERIFY(r.items.front().steps.back()->state == inspect::State::Failed);
        QVERIFY(QString::fromStdString(reason(r)).contains(QStringLiteral("outside the picture")));
        const auto none =
            runStep("joint_areas", demo::painted({50, 50, 50}, {}, kW, kH, {}, random, false), [](recipe::Step&) {});
        QVERIFY(QString::fromStdString(reason(none)).contains(QStringLiteral("no place")));
    }
};
QTEST_GUILESS_MAIN(JointAreasTest)
#include "joint_areas_test.moc"
