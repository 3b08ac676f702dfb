#include "steps/drawing_datum/drawing_datum.h"

#include "../drawn_support.h"

using namespace support;
using geometry::Point;
using steps::DrawingDatumParams;

namespace
{
// Farthest a drawn place lies from where it should, off the outline; px.
double offOf(const drawing::Outline& o, const drawing::Laid& truth, const geometry::Pose& pose)
{
    const drawing::Laid found{pose, truth.pxPerMm, false};
    double worst = 0;
    for (const auto& s : o.stations(1))
        worst = std::max(
            worst, std::abs(geometry::dot(found.toPicture(s.at) - truth.toPicture(s.at),
                                          geometry::unit(truth.toPicture(s.at + s.outward) - truth.toPicture(s.at)))));
    return worst;
}
} // namespace

class DrawingDatumTest : public QObject
{
    Q_OBJECT
private slots:
    // Seven drawings, four of them symmetric, a fifth of the outline hidden.
    void isFoundAtAnyPlaceAndAngle()
    {
        demo::Random r(17);
        double worst = 0, sum = 0;
        int n = 0;
        for (const int part : {0, 1, 2, 4, 7, 10, 11}) {
            const double mm = 0.08;
            const drawing::Drawing d = demo::drawnPart(part);
            const drawing::Outline o = outlineOf(d);
            auto prepared = inspect::Prepared::make(drawnRecipe(d, mm));
            QVERIFY(prepared);
            for (int i = 0; i < 8; ++i) {
                Look look;
                look.blur = r.uniform(0.6, 1.4);
                look.noise = 4;
                const drawing::Laid truth = anywhere(o, mm, look, r);
                // A flat thing of the material's level lies over a fifth of the outer outline.
                const auto hidden = o.at(0, r.uniform(0, o.loops()[0].length));
                const double wide = 0.1 * o.loops()[0].length / mm;
                const Point c = truth.toPicture(hidden.at);
                look.over = {demo::circleOutline(c, wide)};
                const auto result = inspect::evaluate(
                    *prepared, captureOf(pictureOf({{o, truth}}, look, std::uint64_t(part * 100 + i))));
                const auto* a = result.items.at(0).step("A");
                QVERIFY2(
                    a && a->state == inspect::State::Ok,
                    qPrintable(
                        QString("%1 %2: %3").arg(demo::drawnPartName(part)).arg(i).arg(a ? a->reason.c_str() : "")));
                const double off = offOf(o, truth, a->finds.front().pose);
                // A symmetric drawing may lie turned by its symmetry: then its outline lies right all the same.
                double outline = 0;
                const drawing::Laid found{a->finds.front().pose, 1 / mm, false};
                for (const auto& s : o.stations(1))
                    outline = std::max(outline,
                                       std::abs(o.nearest(truth.toDrawing(found.toPicture(s.at)), 1e9)->offset) / mm);
                const double e = std::min(off, outline);
                worst = std::max(worst, e);
                sum += e * e;
                ++n;
                QVERIFY2(e < 0.1,
                         qPrintable(QString("%1 %2: off by %3 px").arg(demo::drawnPartName(part)).arg(i).arg(e)));
            }
        }
        qInfo("%d parts: worst %.3f px, rms %.4f px", n, worst, std::sqrt(sum / n));
        QVERIFY(std::sqrt(sum / n) < 0.02);
    }
    void anAsymmetricPartLiesAsItIs()
    {
        // The plate looks much like itself turned by half; only its fourth hole tells.
        const drawing::Drawing d = demo::drawnPart(0);
        const drawing::Outline o = outlineOf(d);
        auto prepared = inspect::Prepared::make(drawnRecipe(d, 0.08));
        demo::Random r(3);
        for (int i = 0; i < 10; ++i) {
            Look look;
            const drawing::Laid truth = anywhere(o, 0.08, look, r);
            const auto result =
                inspect::evaluate(*prepared, captureOf(pictureOf({{o, truth}}, look, std::uint64_t(i))));
            const auto* a = result.items.at(0).step("A");
            QVERIFY(a && a->state == inspect::State::Ok);
            QVERIFY(offOf(o, truth, a->finds.front().pose) < 0.05);
            QVERIFY(a->output("share")->values[0] > 97);
        }
    }
    void wrongSideUpIsSaid()
    {
        for (const int part : {0, 4, 6}) {
            const drawing::Drawing d = demo::drawnPart(part);
            const drawing::Outline o = outlineOf(d), m = o.mirrored();
            auto prepared = inspect::Prepared::make(drawnRecipe(d, 0.08));
            demo::Random r(std::uint64_t(part) + 1);
            for (int i = 0; i < 4; ++i) {
                Look look;
                const drawing::Laid truth = anywhere(m, 0.08, look, r);
                const auto result = inspect::evaluate(*prepared, captureOf(pictureOf({{m, truth}}, look, 1)));
                const auto* a = result.items.at(0).step("A");
                QVERIFY(a);
                QVERIFY2(a->state == inspect::State::Failed && a->absent, demo::drawnPartName(part));
                QVERIFY2(a->reason.find("wrong side up") != std::string::npos, a->reason.c_str());
            }
        }
    }
    void eachOfSeveralPartsIsAnItem()
    {
        const drawing::Drawing d = demo::drawnPart(11);
        const drawing::Outline o = outlineOf(d);
        const double mm = 0.16, px = 1 / mm;
        Look look;
        std::vector<std::pair<drawing::Outline, drawing::Laid>> parts;
        const std::vector<geometry::Pose> poses{
            {{150, 150}, 0.3}, {{500, 200}, 2.1}, {{200, 500}, -1.2}, {{600, 520}, 3.0}};
        for (const auto& p : poses) parts.push_back({o, {p, px, false}});
        auto prepared = inspect::Prepared::make(
            drawnRecipe(d, mm, [](recipe::Step& s) { paramsOf<DrawingDatumParams>(s).most = 0; }));
        const auto result = inspect::evaluate(*prepared, captureOf(pictureOf(parts, look, 3)));
        QCOMPARE(result.items.size(), std::size_t(4));
        std::set<int> seen;
        for (const auto& item : result.items) {
            int best = -1;
            for (int i = 0; i < 4; ++i)
                if (geometry::distance(item.pose->origin, poses[std::size_t(i)].origin) < 1) best = i;
            QVERIFY(best >= 0 && seen.insert(best).second);
            QVERIFY(std::abs(geometry::wrapped(item.pose->angle - poses[std::size_t(best)].angle)) < 2e-3);
        }
        // One wanted: the others are surplus, named and rejected.
        auto one = inspect::Prepared::make(drawnRecipe(d, mm));
        const auto few = inspect::evaluate(*one, captureOf(pictureOf(parts, look, 3)));
        QCOMPARE(few.items.size(), std::size_t(4));
        QVERIFY(few.items[0].step("A")->state == inspect::State::Ok);
        QVERIFY(few.items[1].rejected());
        // Five expected: one is lost.
        auto five = inspect::Prepared::make(
            drawnRecipe(d, mm, [](recipe::Step& s) { paramsOf<DrawingDatumParams>(s).expected = 5; }));
        const auto lost = inspect::evaluate(*five, captureOf(pictureOf(parts, look, 3)));
        QCOMPARE(lost.items.size(), std::size_t(5));
    }
    void aBrightPartIsFoundToo()
    {
        const drawing::Drawing d = demo::drawnPart(4);
        const drawing::Outline o = outlineOf(d);
        Look look;
        look.dark = false;
        demo::Random r(2);
        const drawing::Laid truth = anywhere(o, 0.08, look, r);
        auto bright = inspect::Prepared::make(drawnRecipe(
            d, 0.08, [](recipe::Step& s) { paramsOf<DrawingDatumParams>(s).material = steps::Objects::Bright; }));
        const auto result = inspect::evaluate(*bright, captureOf(pictureOf({{o, truth}}, look, 1)));
        QVERIFY(result.items[0].step("A")->state == inspect::State::Ok);
        QVERIFY(offOf(o, truth, result.items[0].step("A")->finds.front().pose) < 0.05);
        auto dark = inspect::Prepared::make(drawnRecipe(d, 0.08));
        QVERIFY(inspect::evaluate(*dark, captureOf(pictureOf({{o, truth}}, look, 1))).items[0].step("A")->state ==
                inspect::State::Failed);
    }
    void mistakesOfUnitAndThicknessAreSaid()
    {
        const drawing::Drawing d = demo::drawnPart(4);
        const drawing::Outline o = outlineOf(d);
        Look look;
        demo::Random r(2);
        const drawing::Laid truth = anywhere(o, 0.08, look, r);
        const auto reasonWith = [&](recipe::Recipe recipe) {
            auto prepared = inspect::Prepared::make(recipe);
            const auto result = inspect::evaluate(*prepared, captureOf(pictureOf({{o, truth}}, look, 1)));
            const auto* a = result.items.at(0).step("A");
            return a->reason + a->note;
        };
        recipe::Recipe inch = drawnRecipe(d, 0.08);
        // The file's numbers taken for inches: drawn 25.4 times too large.
        inch.drawn.unit = drawing::LengthUnit::Inch;
        auto big = recipe::makeDrawing(inch.drawn, inch.drawing.files.front(), "part.dxf");
        QVERIFY(big);
        inch.drawing = *big;
        const std::string tooLarge = reasonWith(inch);
        QVERIFY2(tooLarge.find("is the drawing in mm, not in inch?") != std::string::npos, tooLarge.c_str());
        // A part that stands nearer to the lens looks larger all over.
        const std::string thick = reasonWith(drawnRecipe(d, 0.08 * 1.006));
        QVERIFY2(thick.find("thickness") != std::string::npos, thick.c_str());
        const std::string thicker = reasonWith(drawnRecipe(d, 0.08 * 1.05));
        QVERIFY2(thicker.find("thickness") != std::string::npos, thicker.c_str());
        const std::string right = reasonWith(drawnRecipe(d, 0.08));
        QVERIFY2(right.empty(), right.c_str());
        recipe::Recipe none = drawnRecipe(d, 0.08);
        none.calibration = {};
        QVERIFY(reasonWith(none).find("calibration") != std::string::npos);
        recipe::Recipe without = drawnRecipe(d, 0.08);
        without.drawing = {};
        QVERIFY(reasonWith(without).find("no drawing") != std::string::npos);
    }
    void twoHolesAndEdgeAndPointLayItByThemAlone()
    {
        const drawing::Drawing d = demo::drawnPart(4); // bracket, holes at 6, 24 and 33, 6
        const drawing::Outline o = outlineOf(d);
        // The part's holes sit off by 0.4 mm from its outline.
        drawing::Drawing shifted = d;
        int holes[2] = {0, 0}, k = 0, bottom = 0;
        for (std::size_t i = 0; i < d.elements.size(); ++i) {
            auto& e = shifted.elements[i];
            if (e.whole()) {
                holes[k++] = int(i) + 1;
                e = drawing::arcElement(e.centre + Point{0.4, 0}, e.radius, e.start, e.sweep);
                e.layer = d.elements[i].layer;
            } else if (!e.arc && std::abs(e.from.y) < 1e-9 && std::abs(e.to.y) < 1e-9) bottom = int(i) + 1;
        }
        QVERIFY(bottom > 0 && holes[1] > 0);
        const drawing::Outline real = outlineOf(shifted);
        Look look;
        demo::Random r(9);
        const drawing::Laid truth = anywhere(o, 0.08, look, r);
        const auto poseWith = [&](steps::LaidBy by, int first, int second) {
            auto prepared = inspect::Prepared::make(drawnRecipe(d, 0.08, [&](recipe::Step& s) {
                auto& p = paramsOf<DrawingDatumParams>(s);
                p.by = by;
                p.first = first;
                p.second = second;
                p.reach = 0.8;
            }));
            const auto result = inspect::evaluate(*prepared, captureOf(pictureOf({{real, truth}}, look, 1)));
            const auto* a = result.items.at(0).step("A");
            if (a->state != inspect::State::Ok) qWarning("%s", a->reason.c_str());
            return a->state == inspect::State::Ok ? a->finds.front().pose : geometry::Pose{{-1e4, 0}, 0};
        };
        const auto byHoles = poseWith(steps::LaidBy::TwoHoles, holes[0], holes[1]);
        const Point expected = truth.toPicture({0.4, 0});
        QVERIFY2(geometry::distance(byHoles.origin, expected) < 0.1,
                 qPrintable(QString::number(geometry::distance(byHoles.origin, expected))));
        QVERIFY(std::abs(geometry::wrapped(byHoles.angle - truth.pose.angle)) < 5e-4);
        const auto byEdge = poseWith(steps::LaidBy::EdgeAndPoint, bottom, holes[0]);
        QVERIFY2(geometry::distance(byEdge.origin, expected) < 0.1,
                 qPrintable(QString::number(geometry::distance(byEdge.origin, expected))));
        QVERIFY(poseWith(steps::LaidBy::TwoHoles, 1, 900).origin.x == -1e4);
        QVERIFY(poseWith(steps::LaidBy::TwoHoles, bottom, holes[0]).origin.x == -1e4);
    }
    void nothingThereIsNeverFound()
    {
        const drawing::Drawing d = demo::drawnPart(0);
        auto prepared = inspect::Prepared::make(drawnRecipe(d, 0.08));
        demo::Random r(5);
        for (const int other : {2, 3, 6, 9, 10}) {
            const drawing::Outline o = outlineOf(demo::drawnPart(other));
            Look look;
            const auto result =
                inspect::evaluate(*prepared, captureOf(pictureOf({{o, anywhere(o, 0.08, look, r)}}, look, 1)));
            QVERIFY(result.items[0].rejected());
            QVERIFY(result.items[0].step("A")->state == inspect::State::Failed);
        }
        image::Image grey(900, 700, image::PixelFormat::Grey8);
        QVERIFY(inspect::evaluate(*prepared, captureOf(std::move(grey))).items[0].rejected());
    }
    void whatFollowsItFollowsTheDrawing()
    {
        const drawing::Drawing d = demo::drawnPart(4);
        const drawing::Outline o = outlineOf(d);
        recipe::Recipe r = drawnRecipe(d, 0.08);
        // Without a reference, reference px are those of the drawing laid level at the picture's corner.
        chain(r, "circle", "c", [&](recipe::Step& s) {
            s.datum = "A";
            s.regions["ring"] = geometry::Region::ring(drawing::sheet({33, 6}) * (1 / 0.08), 25, 50);
        });
        auto prepared = inspect::Prepared::make(r);
        QVERIFY(prepared);
        demo::Random random(6);
        Look look;
        for (int i = 0; i < 3; ++i) {
            const drawing::Laid truth = anywhere(o, 0.08, look, random);
            const auto result = inspect::evaluate(*prepared, captureOf(pictureOf({{o, truth}}, look, 1)));
            const auto* c = result.items[0].step("c");
            QVERIFY2(c && c->state == inspect::State::Ok, c ? c->reason.c_str() : "");
            QVERIFY(std::abs(c->output("diameter")->values[0] - 6) < 0.005);
            QVERIFY(std::abs(c->output("along_x")->values[0] - 33) < 0.01);
        }
    }
};

QTEST_APPLESS_MAIN(DrawingDatumTest)
#include "drawing_datum_test.moc"
