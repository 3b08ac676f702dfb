#include "steps/drawing_datum/drawing_datum.h"
#include "steps/outline_profile/outline_profile.h"

#include "../drawn_support.h"

using namespace support;
using geometry::kPi;
using geometry::Point;
using steps::OutlineProfileParams;

namespace
{
constexpr double kMm = 0.08;
recipe::Recipe profileRecipe(const drawing::Drawing& d, const std::function<void(OutlineProfileParams&)>& edit = {})
{
    recipe::Recipe r = drawnRecipe(d, kMm);
    chain(r, "outline_profile", "p", [&](recipe::Step& s) {
        s.datum = "A";
        auto& p = paramsOf<OutlineProfileParams>(s);
        p.objects = steps::Objects::Dark;
        if (edit) edit(p);
    });
    return r;
}
double value(const inspect::ItemResult& item, const char* key)
{
    const auto* s = item.step("p");
    if (!s || s->state != inspect::State::Ok) qWarning("%s", s ? s->reason.c_str() : "no step");
    const auto* v = s ? s->output(key) : nullptr;
    return v && !v->values.empty() ? v->values[0] : -999;
}
// The part's outlines pushed along their normals by `error` (mm, of loop and place along it).
image::Image formed(const drawing::Outline& o, const drawing::Laid& laid,
                    const std::function<double(int, double)>& error, const Look& look, std::uint64_t seed)
{
    std::vector<std::vector<Point>> dark = look.over, holes = look.gone;
    for (std::size_t l = 0; l < o.loops().size(); ++l) {
        std::vector<Point> polygon;
        const double length = o.loops()[l].length;
        const int n = int(length / 0.01);
        for (int i = 0; i < n; ++i) {
            const auto f = o.at(int(l), length * i / n);
            polygon.push_back(laid.toPicture(f.at + f.outward * error(int(l), f.along)));
        }
        (o.loops()[l].hole ? holes : dark).push_back(std::move(polygon));
    }
    demo::Random random(seed);
    return demo::backlit(demo::blurredCoverage(dark, holes, look.width, look.height, look.blur, 3), look.width,
                         look.height, {200, 50, 0, 0, 0, look.noise}, random);
}
} // namespace

class OutlineProfileTest : public QObject
{
    Q_OBJECT
private slots:
    void aGoodPartLiesOnItsDrawing()
    {
        demo::Random r(4);
        for (const int part : {0, 1, 3, 4, 6, 7, 11}) {
            const drawing::Drawing d = demo::drawnPart(part);
            const drawing::Outline o = outlineOf(d);
            auto prepared = inspect::Prepared::make(profileRecipe(d));
            Look look;
            look.noise = 2;
            const auto result =
                inspect::evaluate(*prepared, captureOf(pictureOf({{o, anywhere(o, kMm, look, r)}}, look, 5)));
            const auto& item = result.items.at(0);
            QVERIFY2(value(item, "profile") < 2 * 0.12 * kMm,
                     qPrintable(QString("%1 %2 px").arg(demo::drawnPartName(part)).arg(value(item, "profile") / kMm)));
            QCOMPARE(value(item, "missing"), 0.0);
            QCOMPARE(value(item, "surplus"), 0.0);
            QCOMPARE(value(item, "beyond"), 0.0);
            QVERIFY(value(item, "covered") > 90);
        }
    }
    // A part with a known error of form: every point, sign and zone.
    void everyPointSaysTheTruth()
    {
        // The datum is laid by two holes that are right, so that the error has no part in it.
        for (const int part : {0, 4}) {
            const drawing::Drawing d = demo::drawnPart(part);
            const drawing::Outline o = outlineOf(d);
            std::vector<int> holes;
            for (std::size_t i = 0; i < d.elements.size(); ++i)
                if (d.elements[i].whole()) holes.push_back(int(i) + 1);
            recipe::Recipe r = profileRecipe(d, [](OutlineProfileParams& p) { p.of = steps::ProfileOf::Outer; });
            auto& a = std::any_cast<steps::DrawingDatumParams&>(r.steps[0].params);
            a.by = steps::LaidBy::TwoHoles;
            a.first = holes[0];
            a.second = holes[1];
            auto prepared = inspect::Prepared::make(r);
            demo::Random random(8);
            for (const double noise : {0.0, 2.0}) {
                Look look;
                look.noise = noise;
                const drawing::Laid laid = anywhere(o, kMm, look, random);
                const double length = o.loops()[0].length;
                const auto error = [&](int loop, double along) {
                    return loop == 0 ? 0.15 * std::sin(2 * kPi * 4 * along / length) : 0;
                };
                const auto result = inspect::evaluate(*prepared, captureOf(formed(o, laid, error, look, 3)));
                const auto& item = result.items.at(0);
                const double zone = value(item, "profile");
                QVERIFY2(std::abs(zone - 0.3) < (noise > 0 ? 0.013 : 0.004),
                         qPrintable(QString("%1 %2: %3").arg(part).arg(noise).arg(zone)));
                std::vector<double> off;
                for (const auto& m : item.step("p")->marks) {
                    if (m.shape != recipe::MarkShape::Deviation) continue;
                    for (std::size_t i = 0; i < m.offsets.size(); ++i) {
                        const auto f = o.nearest(laid.toDrawing(m.points[2 * i]), 1);
                        if (f->cornerGap < 1.2) continue; // a wave across a corner is cut there
                        const double truth = error(f->loop, f->along);
                        off.push_back((m.offsets[i] - truth) / kMm);
                        if (std::abs(truth) > 0.02) QVERIFY(truth * m.offsets[i] > 0);
                    }
                }
                QVERIFY(off.size() > 800);
                double sum = 0, worst = 0;
                for (const double e : off) {
                    sum += e * e;
                    worst = std::max(worst, std::abs(e));
                }
                const double rms = std::sqrt(sum / double(off.size()));
                qInfo("%s, noise %.0f: rms %.4f px, worst %.3f px, zone off by %.4f mm", demo::drawnPartName(part),
                      noise, rms, worst, zone - 0.3);
                QVERIFY(rms < (noise > 0 ? 0.03 : 0.012));
                QVERIFY(worst < (noise > 0 ? 0.12 : 0.02));
            }
        }
    }
    void burrAndNotchAreListedWithPlaceAndSize()
    {
        const drawing::Drawing d = demo::drawnPart(0);
        const drawing::Outline o = outlineOf(d);
        auto prepared = inspect::Prepared::make(profileRecipe(d));
        Look look;
        const drawing::Laid laid{{{120, 480}, 0.2}, 1 / kMm, false};
        // A round burr of 0.5 mm on the lower edge, a notch of 0.7 mm in the upper one.
        std::vector<Point> burr, notch;
        for (const Point q : demo::circleOutline({25, 0}, 0.5)) burr.push_back(laid.toPicture(q));
        for (const Point q : demo::circleOutline({15, -20}, 0.7)) notch.push_back(laid.toPicture(q));
        look.over = {burr};
        look.gone = {notch};
        const auto result = inspect::evaluate(*prepared, captureOf(pictureOf({{o, laid}}, look, 3)));
        const auto& item = result.items.at(0);
        QCOMPARE(value(item, "beyond"), 2.0);
        QVERIFY2(std::abs(value(item, "most") - 0.5) < 0.03, qPrintable(QString::number(value(item, "most"))));
        QVERIFY2(std::abs(value(item, "least") + 0.7) < 0.03, qPrintable(QString::number(value(item, "least"))));
        const auto& worst = item.step("p")->output("worst")->values;
        QVERIFY(worst[0] < 0 && worst[1] > 0);
        QCOMPARE(item.step("p")->elementName("worst", 0).substr(0, 4), std::string("15.0"));
        // The plot unrolls it: as far down and up as the worst places.
        const auto capture = captureOf(pictureOf({{o, laid}}, look, 3));
        const auto e = inspect::evidence(*prepared, capture, item, "p");
        QVERIFY(e);
        double low = 0, high = 0;
        for (const double y : e->curves.front().y)
            if (std::isfinite(y)) low = std::min(low, y), high = std::max(high, y);
        QVERIFY2(std::abs(low + 0.7) < 0.05 && std::abs(high - 0.5) < 0.05,
                 qPrintable(QString("%1 %2").arg(low).arg(high)));
        QVERIFY(std::abs(item.step("p")->output("lengths")->values[0] - 1.4) < 0.25);
        QVERIFY(geometry::distance(item.step("p")->elementPlaces()[1], laid.toPicture({25, 0.5})) < 2);
    }
    void whatIsMissingAndWhatIsNotDrawnAreFaultsOfTheirOwn()
    {
        const drawing::Drawing d = demo::drawnPart(0);
        const drawing::Outline o = outlineOf(d);
        // The part lacks the hole at 46, 4 and has another one of 1.2 mm at 20, 2.2.
        drawing::Drawing other = d;
        for (std::size_t i = 0; i < other.elements.size(); ++i)
            if (other.elements[i].whole() &&
                geometry::distance(other.elements[i].centre, drawing::sheet({46, 4})) < 0.01)
                other.elements.erase(other.elements.begin() + std::ptrdiff_t(i--));
        const drawing::Outline real = outlineOf(other);
        auto prepared = inspect::Prepared::make(profileRecipe(d));
        Look look;
        const drawing::Laid laid{{{130, 430}, -0.3}, 1 / kMm, false};
        std::vector<Point> hole;
        for (const Point q : demo::circleOutline(drawing::sheet({20, 2.2}), 0.6)) hole.push_back(laid.toPicture(q));
        look.gone = {hole};
        const auto result = inspect::evaluate(*prepared, captureOf(pictureOf({{real, laid}}, look, 3)));
        const auto& item = result.items.at(0);
        QCOMPARE(value(item, "missing"), 1.0);
        QCOMPARE(value(item, "surplus"), 1.0);
        const std::string note = item.step("p")->note;
        QVERIFY2(note.find("hole ⌀3.20 at 46.0, 4.0 is missing") != std::string::npos, note.c_str());
        QVERIFY2((note.find("not drawn: ⌀1.20") != std::string::npos ||
                  note.find("not drawn: ⌀1.19") != std::string::npos ||
                  note.find("not drawn: ⌀1.21") != std::string::npos) &&
                     note.find("at 20.0, 2.2") != std::string::npos,
                 note.c_str());
        QVERIFY(value(item, "profile") < 0.04);
    }
    void bestFitTakesThePlaceOut()
    {
        // A part larger all over by 0.1 mm a side, and one hole off its place.
        const drawing::Drawing d = demo::drawnPart(4);
        const drawing::Outline o = outlineOf(d);
        int hole = 0;
        drawing::Drawing other = d;
        for (std::size_t i = 0; i < d.elements.size(); ++i)
            if (d.elements[i].whole() && hole == 0) {
                hole = int(i) + 1;
                auto& e = other.elements[i];
                e = drawing::arcElement(e.centre + Point{0.3, 0}, e.radius, 0, 2 * kPi);
                e.layer = d.elements[i].layer;
            }
        const drawing::Outline real = outlineOf(other);
        const auto with = [&](steps::ProfileTo to) {
            auto prepared = inspect::Prepared::make(profileRecipe(d, [&](OutlineProfileParams& p) {
                p.of = steps::ProfileOf::Element;
                p.element = hole;
                p.to = to;
            }));
            Look look;
            const auto result = inspect::evaluate(
                *prepared, captureOf(pictureOf({{real, {{{150, 560}, 0.1}, 1 / kMm, false}}}, look, 3)));
            return value(result.items.at(0), "profile");
        };
        QVERIFY(std::abs(with(steps::ProfileTo::Datum) - 0.6) < 0.02);
        QVERIFY(with(steps::ProfileTo::BestFit) < 0.03);
    }
    // Cut off by the picture's border, a fifth of the outline lost: no good part, however well the rest lies.
    void whatIsNotSeenIsNoGoodPart()
    {
        const drawing::Drawing d = demo::drawnPart(1);
        const drawing::Outline o = outlineOf(d);
        const auto at = [&](double x, double least) {
            recipe::Recipe r = profileRecipe(d, [&](OutlineProfileParams& p) { p.leastSeen = least; });
            recipe::Check c;
            c.output = "profile";
            c.limits.high = 0.2;
            c.limits.unit = base::Unit::Millimetre;
            r.steps[0].checks.clear();
            r.steps[1].checks = {c};
            auto prepared = inspect::Prepared::make(r);
            Look look;
            auto result =
                inspect::evaluate(*prepared, captureOf(pictureOf({{o, {{{x, 500}, 0}, 1 / kMm, false}}}, look, 3)));
            return result.items.at(0);
        };
        QVERIFY(at(200, 80).accepted());
        const auto cut = at(-130, 80); // a quarter of its length lies outside
        QVERIFY(cut.rejected());
        QVERIFY2(cut.step("p")->reason.find("least_seen asks for 80") != std::string::npos ||
                     cut.step("A")->state == inspect::State::Failed,
                 cut.step("p")->reason.c_str());
        QVERIFY(at(-130, 30).step("p")->state == inspect::State::Ok); // said on purpose
    }
    void withoutADrawingDatumItSaysSo()
    {
        recipe::Recipe r = profileRecipe(demo::drawnPart(2));
        r.steps[1].datum.clear();
        auto prepared = inspect::Prepared::make(r);
        const drawing::Outline o = outlineOf(demo::drawnPart(2));
        Look look;
        demo::Random random(1);
        const auto result =
            inspect::evaluate(*prepared, captureOf(pictureOf({{o, anywhere(o, kMm, look, random)}}, look, 1)));
        QVERIFY(result.items[0].step("p")->reason.find("no datum that lays the drawing") != std::string::npos);
        QVERIFY(result.items[0].rejected() || !result.items[0].accepted());
    }
};

QTEST_APPLESS_MAIN(OutlineProfileTest)
#include "outline_profile_test.moc"
