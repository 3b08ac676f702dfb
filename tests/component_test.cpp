#include "vision/component.h"

#include "same_support.h"

using namespace support;
using geometry::Point;
using vision::Component;
using vision::ComponentOptions;
using vision::Named;
using vision::Patch;
using vision::PatchBox;

namespace
{
constexpr int kW = 260, kH = 240;
constexpr PatchBox kBox{94, 59, 72, 122};
// A bar with a rivet near one end and a stripe, over a slot in a plate: what is mounted lies in `lie` beside its place.
enum class What { Bar, Nothing, Other, Red };
std::vector<demo::Ink> place(What what, const vision::Beside& lie)
{
    std::vector<demo::Ink> inks;
    inks.push_back({{180, 150, 80}, {bar({0, 0}, 240, 220)}});
    inks.push_back({{40, 38, 36}, {bar({0, 0}, 34, 108)}});
    const geometry::Pose pose{{lie.shift.x, lie.shift.y}, lie.turn + (lie.reversed ? geometry::kPi : 0)};
    const auto on = [&](std::vector<Point> o) {
        for (Point& p : o) p = pose.toPicture(p);
        return o;
    };
    if (what == What::Bar || what == What::Red) {
        const bool red = what == What::Red;
        inks.push_back({red ? std::array<double, 3>{190, 60, 50} : std::array<double, 3>{190, 192, 196},
                        {on(bar({0, 0}, 24, 100))}});
        inks.push_back({{150, 120, 50}, {on(demo::circleOutline({0, 38}, 8))}});
        inks.push_back({{120, 122, 128}, {on(bar({4, -10}, 3, 60))}});
    }
    if (what == What::Other) {
        inks.push_back({{90, 110, 60}, {on(bar({0, 20}, 30, 40))}});
        inks.push_back({{220, 220, 60}, {on(demo::circleOutline({0, -25}, 13))}});
    }
    return inks;
}
image::Picture seen(What what, const vision::Beside& lie, const SeenAs& s, std::uint64_t seed, bool colour = true)
{
    return image::makePicture(seenAs({place(what, lie)}, s, kW, kH, seed, colour));
}
Component taught(bool colour, int samples, bool bare, double mayShift = 3)
{
    demo::Random random(5);
    std::vector<Patch> good, ground;
    std::vector<vision::Light> lights, groundLights;
    const auto add = [&](What what, const SeenAs& s, std::uint64_t seed, auto& to, auto& light) {
        const auto motion = motionTo(s, kW, kH);
        to.push_back(
            vision::laid(seen(what, {}, s, seed, colour), colour, kBox, [&](Point p) { return motion.carry(p); }));
        vision::Light l;
        l.gain[0] = s.look.light;
        light.push_back(l);
    };
    for (int i = 0; i < samples; ++i)
        add(What::Bar, i ? anyLook(random, 3, 0.05) : SeenAs{}, std::uint64_t(i), good, lights);
    if (bare) add(What::Nothing, anyLook(random, 3, 0.05), 77, ground, groundLights);
    ComponentOptions o;
    o.marked = true, o.mayShift = mayShift;
    o.learn.least = colour ? 5 : 10, o.learn.edge = 0.4;
    // Drawn a little larger than the bar.
    std::vector<std::uint8_t> counts(kBox.count(), 0);
    for (int y = 9; y < kBox.height - 9; ++y)
        for (int x = 22; x < kBox.width - 22; ++x) counts[std::size_t(y * kBox.width + x)] = 1;
    auto c = Component::make(good, lights, ground, groundLights, counts, o);
    if (!c) qFatal("%s", c.error().text().c_str());
    return std::move(*c);
}
Component::Seen look(const Component& c, What what, const vision::Beside& lie, const SeenAs& s, std::uint64_t seed,
                     bool colour)
{
    const auto motion = motionTo(s, kW, kH);
    vision::Light light;
    light.gain[0] = s.look.light;
    return c.look(
        seen(what, lie, s, seed, colour), [&](Point p) { return motion.carry(p); }, light);
}
const char* nameOf(Named n)
{
    constexpr const char* names[] = {"as usual", "missing",      "turned",    "reversed", "shifted",
                                     "another",  "other colour", "different", "lifted",   "unseen"};
    return names[int(n)];
}
} // namespace

class ComponentTest : public QObject
{
    Q_OBJECT
private slots:
    void goodOnesAreAsUsual()
    {
        for (const bool colour : {false, true}) {
            const Component c = taught(colour, 8, true);
            QVERIFY(c.endsDiffer());
            demo::Random random(31);
            double worst = 0, placed = 0;
            for (int n = 0; n < 40; ++n) {
                const SeenAs s = anyLook(random, 5, 0.2);
                vision::Beside lie;
                lie.shift = {random.uniform(-1.4, 1.4), random.uniform(-1.4, 1.4)};
                lie.turn = random.uniform(-0.025, 0.025);
                const auto found = look(c, What::Bar, lie, s, 200 + std::uint64_t(n), colour);
                worst = std::max(worst, found.ratio);
                placed = std::max(placed, geometry::distance(found.beside.shift, lie.shift));
                QVERIFY2(
                    found.named == Named::AsUsual,
                    qPrintable(QStringLiteral("%1: %2, ratio %3").arg(n).arg(nameOf(found.named)).arg(found.ratio)));
            }
            qInfo("good: worst ratio %.3f, placed within %.3f px", worst, placed);
            QVERIFY(placed < 0.15);
        }
    }
    void eachFaultHasItsName_data()
    {
        QTest::addColumn<bool>("colour");
        QTest::newRow("grey") << false;
        QTest::newRow("colour") << true;
    }
    void eachFaultHasItsName()
    {
        QFETCH(bool, colour);
        const Component c = taught(colour, 8, true);
        demo::Random random(41);
        double worstPlace = 0, worstTurn = 0;
        for (int n = 0; n < 60; ++n) {
            const SeenAs s = anyLook(random, 5, 0.2);
            vision::Beside lie;
            What what = What::Bar;
            Named truth = Named::AsUsual;
            switch (n % 6) {
            case 0: what = What::Nothing, truth = Named::Missing; break;
            case 1: lie.turn = (random.below(2) ? 1 : -1) * random.uniform(0.09, 0.35), truth = Named::Turned; break;
            case 2: lie.reversed = true, truth = Named::Reversed; break;
            case 3:
                lie.shift = geometry::direction(random.uniform(0, 6.28)) * random.uniform(4.5, 12);
                truth = Named::Shifted;
                break;
            case 4: what = What::Other, truth = Named::Another; break;
            default: what = What::Red, truth = colour ? Named::OtherColour : Named::OtherColour; break;
            }
            const auto found = look(c, what, lie, s, 700 + std::uint64_t(n), colour);
            QVERIFY(found.ratio > 1);
            QVERIFY2(found.named == truth,
                     qPrintable(QStringLiteral("%1: %2 called %3, alike %4 at place %5 bare %6 corr %7")
                                    .arg(n)
                                    .arg(nameOf(truth))
                                    .arg(nameOf(found.named))
                                    .arg(found.alike)
                                    .arg(found.atPlace)
                                    .arg(found.bare)
                                    .arg(found.correlation)));
            if (truth == Named::Turned || truth == Named::Shifted) {
                // In the reference's frame, the way it lies there.
                worstPlace = std::max(worstPlace, geometry::distance(found.beside.shift, lie.shift));
                worstTurn = std::max(worstTurn, std::abs(found.beside.turn - lie.turn));
            }
        }
        qInfo("place within %.3f px, turn within %.3f°", worstPlace, geometry::degrees(worstTurn));
        // Where it lies over the slot's rim it shows another ground beside it.
        QVERIFY(worstPlace < 1.2 && geometry::degrees(worstTurn) < 0.3);
    }
    void withoutGroundNothingIsCalledMissing()
    {
        const Component c = taught(true, 8, false);
        const auto found = look(c, What::Nothing, {}, {}, 3, true);
        QVERIFY2(found.named == Named::Another, nameOf(found.named));
        QVERIFY(found.ratio > 1);
    }
    void aLikeNeighbourIsNotTakenForIt()
    {
        // Three like bars; the middle one is there, gone, or off its place.
        const auto scene = [](std::optional<double> middle, std::uint64_t seed) {
            std::vector<demo::Ink> inks{{{180, 150, 80}, {bar({0, 0}, 240, 220)}}};
            for (const double x : {-46.0, 46.0}) inks.push_back({{60, 62, 70}, {bar({x, 0}, 16, 90)}});
            if (middle) inks.push_back({{60, 62, 70}, {bar({*middle, 0}, 16, 90)}});
            return image::makePicture(seenAs({inks}, {}, kW, kH, seed, false));
        };
        const vision::Carry still = [](Point p) { return p; };
        const auto reference = scene(0, 1);
        std::vector<std::uint8_t> counts(kBox.count(), 0);
        for (int y = 9; y < kBox.height - 9; ++y)
            for (int x = 22; x < kBox.width - 22; ++x) counts[std::size_t(y * kBox.width + x)] = 1;
        ComponentOptions o;
        o.search = 60, o.learn.least = 10, o.learn.edge = 0.4;
        const Patch around = vision::laid(reference, false, {20, 20, 220, 200}, still);
        const std::vector<Patch> good{vision::laid(reference, false, kBox, still)};
        const auto knowing = Component::make(good, {{}}, {}, {}, counts, o, &around);
        const auto alone = Component::make(good, {{}}, {}, {}, counts, o);
        QVERIFY(knowing && alone);
        QVERIFY(knowing->look(scene(0, 2), still, {}).named == Named::AsUsual);
        QVERIFY(alone->look(scene({}, 3), still, {}).named == Named::Shifted); // onto its neighbour
        const auto gone = knowing->look(scene({}, 3), still, {});
        QVERIFY2(gone.named == Named::Another && gone.ratio > 1, nameOf(gone.named));
        for (const double off : {-13.0, 6.0, 15.0}) {
            const auto moved = knowing->look(scene(off, 4), still, {});
            QVERIFY2(moved.named == Named::Shifted, nameOf(moved.named));
            QVERIFY(geometry::distance(moved.beside.shift, {off, 0}) < 0.5);
        }
    }
    void whatIsHalfThereIsNoPass()
    {
        const Component c = taught(true, 8, true);
        for (const double half : {0.3, 0.5, 0.7}) {
            SeenAs s;
            s.more.push_back({{90, 100, 130}, {bar({0, -60 + 60 * half}, 60, 120 * half)}});
            const auto found = look(c, What::Bar, {}, s, 3, true);
            QVERIFY2(found.named == Named::Different || found.named == Named::Another, nameOf(found.named));
            QVERIFY(found.ratio > 1);
        }
        // Beyond the border of the picture it is not seen.
        SeenAs away;
        away.at = {0, -90};
        QVERIFY(look(c, What::Bar, {}, away, 3, true).named == Named::Unseen);
    }
    void oneSampleAloneTellsFaultsToo()
    {
        const Component c = taught(true, 1, true);
        QVERIFY(look(c, What::Bar, {}, {}, 9, true).named == Named::AsUsual);
        QVERIFY(look(c, What::Nothing, {}, {}, 9, true).named == Named::Missing);
        vision::Beside lie;
        lie.reversed = true;
        QVERIFY(look(c, What::Bar, lie, {}, 9, true).named == Named::Reversed);
    }
};
QTEST_GUILESS_MAIN(ComponentTest)
#include "component_test.moc"
