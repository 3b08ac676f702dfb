#include "support.h"
#include "vision/lift.h"

using geometry::Point;
using vision::Patch;
using vision::PatchBox;
using vision::UsualHeights;

namespace
{
constexpr int kW = 90, kH = 70;
constexpr PatchBox kBox{40, 30, kW, kH};
constexpr float kNone = std::numeric_limits<float>::quiet_NaN();
// The component: columns 25 to 64, rows 20 to 49, 0.8 mm high.
bool inside(int x, int y) { return x >= 25 && x < 65 && y >= 20 && y < 50; }
std::vector<std::uint8_t> mask(const std::function<bool(int, int)>& in)
{
    std::vector<std::uint8_t> out(kBox.count());
    for (int y = 0; y < kH; ++y)
        for (int x = 0; x < kW; ++x) out[std::size_t(y * kW + x)] = in(x, y);
    return out;
}
struct Ground {
    double base = 0, right = 0, down = 0;
};
// `lift`: of the component on top, mm.
UsualHeights::Sample sample(std::uint64_t seed, double noise, const Ground& g,
                            const std::function<double(int, int)>& lift = {},
                            const std::function<bool(int, int)>& lost = {})
{
    demo::Random random(seed);
    Patch p;
    p.box = kBox;
    p.pixels = image::Image(kW, kH, image::PixelFormat::Real32);
    p.unseen.assign(kBox.count(), 0);
    for (int y = 0; y < kH; ++y)
        for (int x = 0; x < kW; ++x) {
            double z = g.base + g.right * x + g.down * y + random.normal(noise, 5 * noise + 1e-12);
            if (inside(x, y)) z += 0.8 + (lift ? lift(x, y) : 0);
            const bool gone = (lost && lost(x, y)) || random.uniform(0, 1) < 0.01;
            reinterpret_cast<float*>(p.pixels.row(y))[x] = gone ? kNone : float(z);
            p.unseen[std::size_t(y * kW + x)] = gone;
        }
    return {p, p};
}
UsualHeights taught(double mayLift = 0.1, double noise = 0.02, int samples = 8)
{
    demo::Random random(3);
    std::vector<UsualHeights::Sample> good;
    for (int i = 0; i < samples; ++i)
        good.push_back(sample(std::uint64_t(i), noise,
                              {random.uniform(-1, 1), random.uniform(-0.003, 0.003), random.uniform(-0.003, 0.003)}));
    auto u = UsualHeights::make(good, UsualHeights::areas(kBox, mask(inside), {}, 4), mayLift);
    if (!u) qFatal("%s", u.error().text().c_str());
    return *u;
}
} // namespace

class LiftTest : public QObject
{
    Q_OBJECT
private slots:
    void areasKeepTheirDistance()
    {
        const auto others = mask([](int x, int y) { return x >= 80 && y < 10; });
        const auto of = UsualHeights::areas(kBox, mask(inside), others, 4);
        for (int y = 0; y < kH; ++y)
            for (int x = 0; x < kW; ++x) {
                // A square of the gap round it.
                bool near = false;
                for (int dy = -4; dy <= 4; ++dy)
                    for (int dx = -4; dx <= 4; ++dx) {
                        const int u = x + dx, v = y + dy;
                        near = near || (u >= 0 && v >= 0 && u < kW && v < kH &&
                                        (inside(u, v) || others[std::size_t(v * kW + u)]));
                    }
                const auto want = inside(x, y) ? UsualHeights::TheComponent
                                  : near       ? UsualHeights::Neither
                                               : UsualHeights::TheGround;
                QCOMPARE(of[std::size_t(y * kW + x)], std::uint8_t(want));
            }
    }
    void goodOnesOnAnyGroundAreNotLifted()
    {
        const UsualHeights u = taught();
        QCOMPARE(u.samples(), 8);
        QCOMPARE(u.own().size(), std::size_t(8));
        demo::Random random(8);
        double worst = 0;
        for (int i = 0; i < 100; ++i) {
            const auto l =
                u.look(sample(std::uint64_t(100 + i), 0.02,
                              {random.uniform(-3, 3), random.uniform(-0.01, 0.01), random.uniform(-0.01, 0.01)}));
            QVERIFY2(l.known, l.why.c_str());
            worst = std::max(worst, std::abs(l.most));
        }
        QVERIFY2(worst < 0.025, qPrintable(QString::number(worst)));
    }
    void liftsAreMeasured_data()
    {
        QTest::addColumn<double>("base");
        QTest::addColumn<double>("right");
        QTest::addColumn<double>("down");
        QTest::addColumn<double>("most"); // over a sixth at the far corner
        QTest::addRow("up") << 0.3 << 0.0 << 0.0 << 0.3;
        QTest::addRow("down") << -0.25 << 0.0 << 0.0 << -0.25;
        // From 0 at one side to 0.4 at the other: the middle of the last sixth.
        QTest::addRow("tilted") << 0.0 << 0.01 << 0.0 << 0.01 * 36.5;
        QTest::addRow("tilted down") << 0.0 << 0.0 << -0.012 << -0.012 * 27.0;
        QTest::addRow("on a corner") << 0.05 << 0.006 << 0.006 << 0.05 + 0.006 * (36.5 + 27);
    }
    void liftsAreMeasured()
    {
        QFETCH(double, base);
        QFETCH(double, right);
        QFETCH(double, down);
        QFETCH(double, most);
        const UsualHeights u = taught();
        for (int i = 0; i < 10; ++i) {
            const auto l = u.look(sample(std::uint64_t(50 + i), 0.02, {2, 0.004, -0.006},
                                         [&](int x, int y) { return base + right * (x - 25) + down * (y - 20); }));
            QVERIFY2(l.known, l.why.c_str());
            QVERIFY2(std::abs(l.most - most) < 0.02, qPrintable(QStringLiteral("%1 for %2").arg(l.most).arg(most)));
        }
    }
    void aBentCornerIsFoundAndASpikeIsNot()
    {
        const UsualHeights u = taught();
        const auto bent = u.look(sample(5, 0.02, {}, [](int x, int y) { return x > 54 && y > 41 ? 0.3 : 0.0; }));
        QVERIFY(bent.known && bent.most > 0.25);
        QVERIFY2(geometry::distance(bent.at, {40 + 60.0, 30 + 46.0}) < 5,
                 qPrintable(QStringLiteral("%1 %2").arg(bent.at.x).arg(bent.at.y)));
        const auto spike = u.look(sample(6, 0.02, {}, [](int x, int y) { return x == 40 && y % 3 == 0 ? 2.0 : 0.0; }));
        QVERIFY(spike.known && std::abs(spike.most) < 0.05);
        // Something tall on the ground round it takes the ground nowhere.
        auto beside = sample(7, 0.02, {});
        for (int y = 0; y < kH; ++y)
            for (int x = 0; x < 14; ++x) reinterpret_cast<float*>(beside.ground.pixels.row(y))[x] += 1.5F;
        const auto calm = u.look(beside);
        QVERIFY(calm.known && std::abs(calm.most) < 0.05);
    }
    void whatIsNotSeenIsNotKnown()
    {
        const UsualHeights u = taught();
        const auto nothing = u.look(sample(1, 0.02, {}, {}, [](int, int) { return true; }));
        QVERIFY(!nothing.known && !nothing.why.empty());
        const auto noComponent = u.look(sample(1, 0.02, {}, {}, inside));
        QVERIFY(!noComponent.known && noComponent.why.find('%') != std::string::npos);
        const auto noGround = u.look(sample(1, 0.02, {}, {}, [](int x, int y) { return !inside(x, y); }));
        QVERIFY(!noGround.known && noGround.why.find("ground") != std::string::npos);
        const auto corner = [](int x, int y) { return x > 52 && y > 40; };
        const auto part = u.look(sample(1, 0.02, {}, {}, corner));
        QVERIFY(!part.known && !part.why.empty());
        const auto up = u.look(sample(
            1, 0.02, {}, [](int, int) { return 0.3; }, corner));
        QVERIFY(up.known && up.most > 0.25);
    }
    void whatCannotBeLearnedIsSaid()
    {
        const auto of = UsualHeights::areas(kBox, mask(inside), {}, 4);
        QVERIFY(!UsualHeights::make({}, of, 0.1));
        // Too rough to be level anywhere; no ground.
        const auto rough =
            UsualHeights::make({sample(1, 0.001, {}, [](int x, int y) { return (x + y) % 2 * 1.5; })}, of, 0.1);
        QVERIFY(!rough && rough.error().message.find("level") != std::string::npos);
        QVERIFY(!UsualHeights::make({sample(1, 0.02, {})}, UsualHeights::areas(kBox, mask(inside), {}, 60), 0.1));
    }
};

QTEST_GUILESS_MAIN(LiftTest)
#include "lift_test.moc"
