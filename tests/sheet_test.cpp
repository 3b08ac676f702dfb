// The drawing: labels keep clear of each other at any turn, marks stay readable on any grey, verdicts without colour.
#include "desktop/grid_view.h"
#include "report/sheet_painter.h"
#include "report/theme.h"
#include "support.h"

#include <QApplication>
#include <QScrollBar>

using namespace support;

namespace
{
double luminance(const QColor& c)
{
    const auto lin = [](double v) { return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
    return 0.2126 * lin(c.redF()) + 0.7152 * lin(c.greenF()) + 0.0722 * lin(c.blueF());
}
double contrast(const QColor& a, const QColor& b)
{
    const double x = luminance(a) + 0.05, y = luminance(b) + 0.05;
    return std::max(x, y) / std::min(x, y);
}

// One row of the four verdicts, at any width.
class FourCells : public desktop::GridSource
{
public:
    int rows() const override { return 1; }
    int columns() const override { return 5; }
    desktop::GridRow row(int) const override { return {}; }
    desktop::GridColumn column(int) const override { return {}; }
    desktop::GridCell cell(int, int c) const override
    {
        desktop::GridCell cell;
        cell.asked = c < 4;
        cell.place = 0.5;
        cell.verdict = c == 0   ? inspect::Verdict::Pass
                       : c == 1 ? inspect::Verdict::Fail
                       : c == 2 ? inspect::Verdict::NotMeasured
                                : inspect::Verdict::Unjudged;
        return cell;
    }
    QString verdictLine() const override { return {}; }
    QString emptyHint() const override { return {}; }
    QString columnWord(int) const override { return {}; }
};
} // namespace

class SheetTest : public QObject
{
    Q_OBJECT
    static inspect::CheckResult checkOf(const std::string& step, const char* output, double value, int balloon)
    {
        inspect::CheckResult c;
        c.step = step, c.output = output, c.name = step, c.balloon = balloon;
        c.values = {value}, c.unit = base::Unit::Millimetre, c.verdict = inspect::Verdict::Pass;
        return c;
    }
    // A recipe of one step with one answered check; the caller adds what it marked.
    static std::pair<inspect::PictureResult, std::shared_ptr<inspect::StepResult>>
    oneStep(recipe::Recipe& r, const char* kind, const char* output, double value)
    {
        recipe::Step s = recipe::makeStep(r, *recipe::findKind(kind));
        s.id = "one";
        r.steps.push_back(s);
        inspect::PictureResult result;
        result.items.resize(1);
        auto step = std::make_shared<inspect::StepResult>();
        step->step = "one", step->state = inspect::State::Ok;
        result.items[0].steps.push_back(step);
        result.items[0].checks.push_back(checkOf("one", output, value, 1));
        return {std::move(result), step};
    }
    static QTransform view(double degrees)
    {
        QTransform t = QTransform::fromTranslate(412, 300);
        t.rotate(degrees);
        t.translate(-300.5, -260.5);
        return t;
    }
    static std::vector<report::PlacedLabel> painted(const recipe::Recipe& r, const inspect::PictureResult& result,
                                                    const QTransform& t, QImage* on = nullptr)
    {
        QImage own(824, 600, QImage::Format_RGB32);
        if (on && on->isNull()) *on = own;
        QImage& sheet = on ? *on : own;
        sheet.fill(report::lightTheme().paper);
        QPainter p(&sheet);
        report::SheetScene scene{&r, &result, 0, {}, false, QSizeF(sheet.size())};
        return report::paintSheet(p, scene, t, QRectF(sheet.rect()));
    }
private slots:
    void initTestCase() { report::loadFonts(); }

    void noTwoLabelsOverlapAtAnyTurn()
    {
        QTemporaryDir dir;
        const auto recipe = *recipe::load(writeDemo(dir, 1));
        const auto prepared = inspect::Prepared::make(recipe);
        for (const double degree : {0.0, 33.0, 90.0, 135.0, 180.0, 213.0, 270.0}) {
            demo::Random random(4);
            demo::PlateTruth truth;
            truth.pose = {{smallField().width / 2.0, smallField().height / 2.0}, geometry::radians(degree)};
            const auto capture = captureOf(demo::drawPlate(smallField(), truth, random).picture);
            const auto result = inspect::evaluate(*prepared, capture);
            QVERIFY(result.accepted());
            for (const auto& size : {QSize(824, 420), QSize(1288, 600)}) {
                QImage sheet(size, QImage::Format_RGB32);
                sheet.fill(Qt::gray);
                QPainter p(&sheet);
                const double k =
                    std::min(size.width() / double(smallField().width), size.height() / double(smallField().height));
                const QRectF area(QPointF(), size);
                report::SheetScene scene{&recipe, &result, 0,
                                         "width", false,   QSizeF(smallField().width, smallField().height)};
                scene.obstacle = report::titleBlockBox(scene, "plate.png", area);
                const auto labels = report::paintSheet(
                    p, scene, QTransform(k, 0, 0, k, (size.width() - k * smallField().width) / 2, 0), area);
                QVERIFY2(labels.size() >= 4, qPrintable(QString::number(degree)));
                for (std::size_t i = 0; i < labels.size(); ++i) {
                    QVERIFY2(!labels[i].box.adjusted(2, 2, -2, -2).intersects(scene.obstacle),
                             qPrintable(QString("%1 %2").arg(degree).arg(i)));
                    for (std::size_t j = 0; j < i; ++j)
                        QVERIFY2(!labels[i].box.adjusted(1, 1, -1, -1).intersects(labels[j].box.adjusted(1, 1, -1, -1)),
                                 qPrintable(QString("%1°: %2 and %3")
                                                .arg(degree)
                                                .arg(QString::fromStdString(labels[i].step),
                                                     QString::fromStdString(labels[j].step))));
                }
            }
        }
    }
    // Core to casing, whatever grey lies below.
    void casedMarksAreReadableOnEveryGrey()
    {
        const auto& t = report::lightTheme();
        for (const QColor& core : {t.pass, t.fail, t.datum, t.notMeasured})
            QVERIFY2(contrast(core, t.paper) >= 4.5, qPrintable(core.name()));
        for (const QColor& c : {t.ink, t.second, t.pass, t.fail, t.datum}) QVERIFY(contrast(c, t.paper) >= 4.5);
        const auto& d = report::darkTheme();
        for (const QColor& c : {d.ink, d.second, d.pass, d.fail, d.datum, d.notMeasured})
            QVERIFY2(contrast(c, d.paper) >= 4.5, qPrintable(c.name()));
    }
    // Measured on what is drawn: beside every core runs a casing that stands off from it by 4.5 to 1, on any grey.
    void drawnMarksKeepTheirContrastOnEveryGrey()
    {
        using recipe::Mark;
        recipe::Recipe r;
        recipe::Step s = recipe::makeStep(r, *recipe::findKind("line"));
        s.id = "line";
        r.steps.push_back(s);
        for (const auto verdict : {inspect::Verdict::Pass, inspect::Verdict::Fail, inspect::Verdict::NotMeasured,
                                   inspect::Verdict::Unjudged})
            for (int grey = 0; grey <= 255; grey += 15) {
                inspect::PictureResult result;
                result.items.resize(1);
                auto step = std::make_shared<inspect::StepResult>();
                step->step = "line", step->state = inspect::State::Ok;
                step->marks.push_back(
                    {recipe::MarkShape::Polyline, recipe::MarkRole::Found, {{20, 50}, {180, 50}}, 0, {}});
                result.items[0].steps = {step};
                inspect::CheckResult c;
                // without a value: no label over the line
                c.step = "line", c.output = s.checks.empty() ? "angle" : s.checks.front().output, c.verdict = verdict;
                result.items[0].checks = {c};
                QImage sheet(200, 100, QImage::Format_RGB32);
                sheet.fill(QColor(grey, grey, grey));
                QPainter p(&sheet);
                report::SheetScene scene{&r, &result, 0, "", false, QSizeF(200, 100)};
                // as large as on a dense screen, so that pixels are whole
                report::paintSheet(p, scene, QTransform(), QRectF(0, 0, 200, 100), 4);
                p.end();
                // Across the line: the pixel that differs most from the paper is core, its neighbours outward the
                // casing.
                double best = 0;
                const QColor paper = report::lightTheme().paper;
                for (const int x : {60, 90}) {
                    QColor core = paper, casing = QColor(grey, grey, grey);
                    double most = 0;
                    for (int y = 40; y < 62; ++y) {
                        const QColor at = sheet.pixelColor(x, y);
                        if (contrast(at, paper) > most && at != QColor(grey, grey, grey))
                            most = contrast(at, paper), core = at;
                        if (at == paper) casing = at;
                    }
                    QVERIFY2(casing == paper, qPrintable(QString("no opaque casing on grey %1").arg(grey)));
                    best = std::max(best, contrast(core, casing));
                }
                QVERIFY2(best >= 4.5,
                         qPrintable(QString("%1 on grey %2: %3").arg(inspect::name(verdict)).arg(grey).arg(best)));
            }
    }
    // Forty checks on places all over the part, each with a leader: at any turn none overlap and no leaders cross; and
    // when the view turns with the part, every label stands where it stood.
    void fortyLeadersDoNotCrossAtAnyTurn()
    {
        demo::Random random(17);
        std::vector<geometry::Point> places;
        for (int i = 0; i < 40; ++i) places.push_back({random.uniform(-300, 300), random.uniform(-110, 110)});
        std::map<std::string, QRectF> first;
        for (const double degree : {0.0, 90.0, 180.0, 213.0}) {
            recipe::Recipe r;
            inspect::PictureResult result;
            result.items.resize(1);
            const geometry::Pose pose{{smallField().width / 2.0, smallField().height / 2.0}, geometry::radians(degree)};
            for (int i = 0; i < 40; ++i) {
                recipe::Step s = recipe::makeStep(r, *recipe::findKind("circle"));
                s.id = "c" + std::to_string(i);
                auto step = std::make_shared<inspect::StepResult>();
                step->step = s.id, step->state = inspect::State::Ok;
                step->marks.push_back({recipe::MarkShape::Circle,
                                       recipe::MarkRole::Found,
                                       {pose.toPicture(places[std::size_t(i)])},
                                       6,
                                       {}});
                result.items[0].steps.push_back(step);
                inspect::CheckResult c;
                c.step = s.id, c.output = "diameter", c.name = "Hole " + std::to_string(i + 1), c.balloon = i + 1;
                c.values = {3.2}, c.unit = base::Unit::Millimetre;
                c.verdict = i % 7 == 0 ? inspect::Verdict::Fail : inspect::Verdict::Pass;
                result.items[0].checks.push_back(c);
                r.steps.push_back(s);
            }
            for (const bool steady : {false, true})
                for (const auto& size : {QSize(824, 420), QSize(1288, 600)}) {
                    QImage sheet(size, QImage::Format_RGB32);
                    sheet.fill(Qt::gray);
                    QPainter p(&sheet);
                    const double k = std::min(size.width() / double(smallField().width),
                                              size.height() / double(smallField().height));
                    QTransform t = QTransform::fromTranslate(size.width() / 2.0, size.height() / 2.0);
                    if (steady) t.rotate(degree);
                    t.scale(k, k);
                    t.translate(-pose.origin.x - 0.5, -pose.origin.y - 0.5);
                    report::SheetScene scene{&r, &result, 0,
                                             {}, false,   QSizeF(smallField().width, smallField().height)};
                    scene.obstacle = report::titleBlockBox(scene, "plate.png", QRectF(QPointF(), size));
                    const auto labels = report::paintSheet(p, scene, t, QRectF(QPointF(), size));
                    QVERIFY2(labels.size() >= 18, qPrintable(QString("%1 at %2").arg(labels.size()).arg(degree)));
                    for (std::size_t i = 0; i < labels.size(); ++i) {
                        QVERIFY(!labels[i].box.adjusted(1, 1, -1, -1).intersects(scene.obstacle));
                        for (std::size_t j = 0; j < i; ++j) {
                            QVERIFY(
                                !labels[i].box.adjusted(1, 1, -1, -1).intersects(labels[j].box.adjusted(1, 1, -1, -1)));
                            // Two that name the same spot meet there.
                            if (QLineF(labels[i].leader.p2(), labels[j].leader.p2()).length() < 1) continue;
                            QVERIFY2(labels[i].leader.intersects(labels[j].leader, nullptr) !=
                                         QLineF::BoundedIntersection,
                                     qPrintable(QString("%1° %2: %3,%4 %5,%6 and %7,%8 %9,%10")
                                                    .arg(degree)
                                                    .arg(size.width())
                                                    .arg(labels[i].leader.x1())
                                                    .arg(labels[i].leader.y1())
                                                    .arg(labels[i].leader.x2())
                                                    .arg(labels[i].leader.y2())
                                                    .arg(labels[j].leader.x1())
                                                    .arg(labels[j].leader.y1())
                                                    .arg(labels[j].leader.x2())
                                                    .arg(labels[j].leader.y2())));
                        }
                    }
                    if (!steady || size.width() != 824) continue;
                    for (const auto& l : labels) {
                        const auto stood = first.find(l.step);
                        if (stood == first.end()) first[l.step] = l.box;
                        else QVERIFY((stood->second.center() - l.box.center()).manhattanLength() < 0.01);
                    }
                    QCOMPARE(first.size(), labels.size());
                }
        }
    }
    // Forty checks on one part: no two labels overlap at any turn, and none lies on the title block.
    void fortyLabelsDoNotOverlapAtAnyTurn()
    {
        recipe::Recipe r;
        for (const double degree : {0.0, 90.0, 180.0, 213.0}) {
            r.steps.clear();
            inspect::PictureResult result;
            result.items.resize(1);
            const geometry::Pose pose{{smallField().width / 2.0, smallField().height / 2.0}, geometry::radians(degree)};
            for (int i = 0; i < 40; ++i) {
                recipe::Step s = recipe::makeStep(r, *recipe::findKind("edge_pair"));
                s.id = "w" + std::to_string(i), s.checks.front().balloon = i + 1;
                auto step = std::make_shared<inspect::StepResult>();
                step->step = s.id, step->state = inspect::State::Ok;
                const double x = -300 + 15.0 * i, half = 40 + (i * 7) % 40;
                step->marks.push_back({recipe::MarkShape::Dimension,
                                       recipe::MarkRole::Found,
                                       {pose.toPicture({x, -half}), pose.toPicture({x, half})},
                                       0,
                                       {}});
                result.items[0].steps.push_back(step);
                inspect::CheckResult c;
                c.step = s.id, c.output = "distance", c.name = "Width " + std::to_string(i + 1), c.balloon = i + 1;
                c.values = {20.0 + i}, c.unit = base::Unit::Millimetre;
                c.verdict = i % 5 == 0 ? inspect::Verdict::Fail : inspect::Verdict::Pass;
                result.items[0].checks.push_back(c);
                r.steps.push_back(s);
            }
            for (const auto& size : {QSize(824, 420), QSize(1288, 600)}) {
                QImage sheet(size, QImage::Format_RGB32);
                sheet.fill(Qt::gray);
                QPainter p(&sheet);
                const double k =
                    std::min(size.width() / double(smallField().width), size.height() / double(smallField().height));
                const QRectF area(QPointF(), size);
                report::SheetScene scene{&r, &result, 0, "w7", false, QSizeF(smallField().width, smallField().height)};
                scene.obstacle = report::titleBlockBox(scene, "plate.png", area);
                const auto labels = report::paintSheet(
                    p, scene, QTransform(k, 0, 0, k, (size.width() - k * smallField().width) / 2, 0), area);
                QVERIFY2(labels.size() >= 20, qPrintable(QString("%1 at %2").arg(labels.size()).arg(degree)));
                for (std::size_t i = 0; i < labels.size(); ++i) {
                    QVERIFY(!labels[i].box.adjusted(2, 2, -2, -2).intersects(scene.obstacle));
                    for (std::size_t j = 0; j < i; ++j)
                        QVERIFY2(!labels[i].box.adjusted(1, 1, -1, -1).intersects(labels[j].box.adjusted(1, 1, -1, -1)),
                                 qPrintable(QString("%1°: %2 and %3")
                                                .arg(degree)
                                                .arg(QString::fromStdString(labels[i].step),
                                                     QString::fromStdString(labels[j].step))));
                }
            }
        }
    }
    // A drawing points at a circle: the leader of a diameter ends on it and aims at its centre, the one of a radius ends
    // on the arc that was seen, however the view is turned.
    void diametersAndRadiiArePointedAt()
    {
        for (const double turn : {0.0, 37.0, 90.0, 213.0})
            for (const bool arc : {false, true}) {
                const geometry::Circle round{
                    {300, 260}, 80, arc ? geometry::radians(200) : 0, arc ? geometry::radians(60) : 2 * geometry::kPi};
                const char* output = arc ? "radius" : "diameter";
                recipe::Recipe r;
                auto [result, step] = oneStep(r, "circle", output, arc ? 80 : 160);
                step->features["circle"] = round;
                step->marks.push_back({recipe::MarkShape::Circle, recipe::MarkRole::Found, {round.centre}, 80, {}});
                const QTransform t = view(turn);
                const auto labels = painted(r, result, t);
                QCOMPARE(labels.size(), std::size_t(1));
                const QPointF centre = t.map(QPointF(300.5, 260.5)), end = labels[0].leader.p2();
                QVERIFY(std::abs(QLineF(centre, end).length() - 80) < 0.1);
                const QPointF back = t.inverted().map(end) - QPointF(0.5, 0.5);
                const double angle = geometry::angleOf(geometry::Point{back.x(), back.y()} - round.centre);
                if (arc) QVERIFY(geometry::withinSweep(angle, round.start, round.sweep));
                const QPointF d = labels[0].box.center() - centre;
                if (!arc)
                    QVERIFY(std::abs(QLineF(centre, end).angleTo(QLineF(QPointF(), d))) < 0.1 ||
                            std::abs(QLineF(centre, end).angleTo(QLineF(QPointF(), d)) - 360) < 0.1);
            }
    }
    // The arc stands between the legs that were meant: ink lies on it there and not on the other side.
    void anAngleIsDrawnBetweenItsLegs()
    {
        for (const double sweep : {60.0, 140.0, 300.0}) {
            recipe::Recipe r;
            auto [result, step] = oneStep(r, "angle", "angle", sweep);
            const geometry::Point apex{400, 300};
            recipe::Mark mark{recipe::MarkShape::Angle, recipe::MarkRole::Found, {apex}, 90, {}};
            for (const double share : {0.0, 0.5, 1.0})
                mark.points.push_back(apex + geometry::direction(geometry::radians(20 + share * sweep)) * 150);
            step->marks.push_back(mark);
            QImage sheet;
            const auto labels = painted(r, result, QTransform(), &sheet);
            QCOMPARE(labels.size(), std::size_t(1));
            for (int a = 0; a < 360; a += 4) {
                const double off = a - 20.0;
                const bool inside = off > 6 && off < sweep - 6, outside = off < -6 || off > sweep + 6;
                if (!inside && !outside) continue;
                const geometry::Point p = apex + geometry::direction(geometry::radians(a)) * 90;
                double darkest = 0;
                for (int dx = -1; dx <= 1; ++dx)
                    for (int dy = -1; dy <= 1; ++dy)
                        darkest = std::max(darkest, contrast(sheet.pixelColor(int(p.x) + dx, int(p.y) + dy),
                                                             report::lightTheme().paper));
                if (labels[0].box.adjusted(-4, -4, 4, 4).contains(QPointF(p.x, p.y))) continue;
                const QPointF onLeader(p.x, p.y);
                const QLineF l = labels[0].leader;
                if (std::abs((l.dx() * (onLeader.y() - l.y1()) - l.dy() * (onLeader.x() - l.x1())) / l.length()) < 5)
                    continue;
                QVERIFY2(inside == (darkest > 2), qPrintable(QString("%1° of %2: %3").arg(a).arg(sweep).arg(darkest)));
            }
        }
    }
    // A tolerance stands in its frame: wider than the value alone by the sign's box, and by the datum's where it has one.
    void tolerancesStandInTheirFrame()
    {
        const auto widthOf = [&](const char* kind, const char* output, bool datum) {
            recipe::Recipe r;
            auto [result, step] = oneStep(r, kind, output, 0.02);
            if (datum) {
                recipe::Step plate = recipe::makeStep(r, *recipe::findKind("pattern"));
                plate.id = "plate", plate.letter = "A";
                r.steps[0].datum = "plate";
                r.steps.push_back(plate);
            }
            step->marks.push_back(
                {recipe::MarkShape::Polyline, recipe::MarkRole::Found, {{200, 300}, {500, 300}}, 0, {}});
            const auto labels = painted(r, result, QTransform());
            return labels.empty() ? 0.0 : labels[0].box.width();
        };
        const double plain = widthOf("line", "length", false), form = widthOf("straightness", "zone", false),
                     alone = widthOf("parallelism", "zone", false), toDatum = widthOf("parallelism", "zone", true);
        QVERIFY(plain > 0 && form > plain + 20 && std::abs(alone - form) < 1 && toDatum > alone + 20);
        QCOMPARE(widthOf("straightness", "zone", true), form); // a form has no datum
    }
    // Forty checks: so many say their value, the others their number, and none lies on another.
    void whatHasNoRoomSaysItsNumber()
    {
        recipe::Recipe r;
        inspect::PictureResult result;
        result.items.resize(1);
        demo::Random random(5);
        for (int i = 0; i < 40; ++i) {
            recipe::Step s = recipe::makeStep(r, *recipe::findKind("circle"));
            s.id = "c" + std::to_string(i);
            auto step = std::make_shared<inspect::StepResult>();
            step->step = s.id, step->state = inspect::State::Ok;
            const geometry::Circle c{{random.uniform(200, 1000), random.uniform(120, 480)}, random.uniform(4, 25)};
            step->features["circle"] = c;
            step->marks.push_back({recipe::MarkShape::Circle, recipe::MarkRole::Found, {c.centre}, c.radius, {}});
            result.items[0].steps.push_back(step);
            result.items[0].checks.push_back(checkOf(s.id, "diameter", 2 * c.radius, i + 1));
            if (i == 33) result.items[0].checks.back().verdict = inspect::Verdict::Fail;
            r.steps.push_back(s);
        }
        QImage sheet(1288, 600, QImage::Format_RGB32);
        const auto labels = painted(r, result, QTransform(), &sheet);
        const auto told = std::count_if(labels.begin(), labels.end(), [](const auto& l) { return !l.bare; });
        QCOMPARE(told, std::ptrdiff_t(24));
        QCOMPARE(labels.size(), std::size_t(40));
        QVERIFY(std::any_of(labels.begin(), labels.end(), [](const auto& l) { return l.step == "c33" && !l.bare; }));
        for (std::size_t i = 0; i < labels.size(); ++i)
            for (std::size_t j = 0; j < i; ++j) {
                QVERIFY(!labels[i].box.adjusted(1, 1, -1, -1).intersects(labels[j].box.adjusted(1, 1, -1, -1)));
                if (QLineF(labels[i].leader.p2(), labels[j].leader.p2()).length() < 1) continue;
                QVERIFY(labels[i].leader.intersects(labels[j].leader, nullptr) != QLineF::BoundedIntersection);
            }
    }
    // A failing list is dimensioned at its worst element, a missing one is named at its place.
    void aListIsToldByItsWorst()
    {
        recipe::Recipe r;
        auto [result, step] = oneStep(r, "distances", "distances", 0);
        inspect::CheckResult& c = result.items[0].checks[0];
        c.list = true, c.values = {50, 50, 58, 53};
        for (int i = 0; i < 4; ++i) {
            const double x = 200 + 120 * i;
            recipe::Mark m{recipe::MarkShape::Dimension, recipe::MarkRole::Found, {{x, 200}, {x, 420}}, 0, {}};
            m.element = i + 1;
            step->marks.push_back(m);
            inspect::ElementResult e;
            e.value = i, e.low = 49, e.high = 51, e.at = geometry::Point{x, 420};
            e.verdict = i < 2 ? inspect::Verdict::Pass : inspect::Verdict::Fail;
            c.elements.push_back(e);
        }
        c.verdict = inspect::Verdict::Fail;
        const auto labels = painted(r, result, QTransform());
        QCOMPARE(labels.size(), std::size_t(1));
        QVERIFY(std::abs(labels[0].box.center().x() - 440.5) < 20); // the third, not the fourth
        QVERIFY(labels[0].leader.isNull());                         // it lies on its dimension line
        c.elements[1].value = -1, c.elements[1].verdict = inspect::Verdict::Fail;
        c.elements[2].verdict = c.elements[3].verdict = inspect::Verdict::Pass;
        const auto missing = painted(r, result, QTransform());
        QVERIFY(std::abs(missing.at(0).leader.p2().x() - 320.5) < 1);
    }
    // What was not found is said where it was looked for; what is worked out of others is said of the item.
    void everyCheckHasAPlace()
    {
        recipe::Recipe r;
        auto [result, step] = oneStep(r, "edge_pair", "distance", 0);
        result.items[0].checks[0].values.clear();
        result.items[0].checks[0].verdict = inspect::Verdict::NotMeasured;
        step->state = inspect::State::Failed;
        r.steps[0].regions["window"] = geometry::Region::window({200, 250}, {300, 250}, 20);
        const auto lost = painted(r, result, QTransform());
        QCOMPARE(lost.size(), std::size_t(1));
        QVERIFY(QLineF(lost[0].leader.p2(), QPointF(250.5, 250.5)).length() < 1);
        recipe::Recipe sum;
        auto [reckoned, made] = oneStep(sum, "formula", "value", 3);
        reckoned.items[0].pose = geometry::Pose{{400, 300}, 0};
        QCOMPARE(painted(sum, reckoned, QTransform()).size(), std::size_t(1));
    }
    void verdictsAreToldApartWithoutColour()
    {
        for (const int width : {72, 28, 10, 3}) {
            FourCells source;
            desktop::GridView grid(source);
            grid.resize(900, 200);
            grid.setColumnWidth(width);
            grid.show();
            QVERIFY(QTest::qWaitForWindowExposed(&grid));
            const QImage grey = grid.viewport()->grab().toImage().convertToFormat(QImage::Format_Grayscale8);
            std::vector<QImage> cells;
            for (int c = 0; c < 5; ++c)
                cells.push_back(grey.copy(grid.cellRect(0, c).adjusted(0, 0, width > 3 ? -1 : 0, 0)));
            for (int a = 0; a < 5; ++a)
                for (int b = 0; b < a; ++b) {
                    // a ring has no room; unjudged and not asked are both no news
                    if (width == 3 && (a >= 3) && (b >= 3)) continue;
                    long long difference = 0;
                    for (int y = 0; y < cells[0].height(); ++y)
                        for (int x = 0; x < cells[0].width(); ++x)
                            difference += std::abs(cells[std::size_t(a)].pixelColor(x, y).value() -
                                                   cells[std::size_t(b)].pixelColor(x, y).value());
                    QVERIFY2(
                        difference > 100,
                        qPrintable(
                            QString("width %1: %2 and %3 look alike (%4)").arg(width).arg(a).arg(b).arg(difference)));
                }
        }
    }
    void aManyRowedGridScrollsWithoutPaintingAll()
    {
        class Many : public FourCells
        {
        public:
            mutable long long asked = 0;
            int rows() const override { return 40; }
            int columns() const override { return 1500; }
            desktop::GridCell cell(int r, int c) const override
            {
                ++asked;
                return FourCells::cell(r, c % 4);
            }
        } source;
        desktop::GridView grid(source);
        grid.resize(1280, 340);
        grid.show();
        QVERIFY(QTest::qWaitForWindowExposed(&grid));
        source.asked = 0;
        grid.viewport()->repaint();
        QVERIFY2(source.asked < 13 * 50, qPrintable(QString::number(source.asked)));
    }
    void packedColumnsStandForSeveralAndAreAsBadAsTheirWorst()
    {
        class Many : public FourCells
        {
        public:
            int columns() const override { return 2000; }
            desktop::GridCell cell(int, int c) const override
            {
                return FourCells::cell(0, (c >= 300 && c < 400) || c == 1001 ? 1 : 0);
            }
        } source;
        desktop::GridView grid(source);
        grid.resize(1280, 200);
        grid.setColumnWidth(3);
        grid.show();
        QVERIFY(QTest::qWaitForWindowExposed(&grid));
        QCOMPARE(grid.horizontalScrollBar()->maximum(), 0); // all in view
        const int per = grid.perColumn();
        QVERIFY(per > 1 && per * ((grid.viewport()->width() - grid.cellRect(0, 0).left()) / 3) >= 2000);
        const QImage all = grid.viewport()->grab().toImage();
        const auto failing = [&](int column) {
            const QRect box = grid.cellRect(0, column);
            int n = 0;
            for (int y = box.top(); y <= box.bottom(); ++y)
                n += all.pixelColor(box.center().x(), y) == report::theme().fail;
            return std::pair(n, box.height());
        };
        QCOMPARE(failing(350).first, failing(350).second);                                       // all of them
        QVERIFY(failing(1001).first >= 4 && failing(1001).first < failing(1001).second / 2 + 2); // one of several
        QCOMPARE(failing(800).first, 0);
        int chosen = -1;
        QObject::connect(&grid, &desktop::GridView::chosen, &grid, [&](int, int column) { chosen = column; });
        QTest::mouseClick(grid.viewport(), Qt::LeftButton, {}, grid.cellRect(0, 1001).center());
        QCOMPARE(chosen, 1001); // the one that fails, not the first of them
        grid.setColumnWidth(28);
        QCOMPARE(grid.perColumn(), 1);
    }
    void theAnnotatedPictureShowsTheVerdict()
    {
        QTemporaryDir dir;
        const auto recipe = *recipe::load(writeDemo(dir, 3));
        const auto prepared = inspect::Prepared::make(recipe);
        const auto good = *image::loadCapture(dir.filePath("plate-001.png").toStdString()),
                   bad = *image::loadCapture(dir.filePath("plate-003.png").toStdString());
        const auto count = [](const QImage& p, const QColor& c) {
            int n = 0;
            for (int y = 0; y < p.height(); ++y)
                for (int x = 0; x < p.width(); ++x) n += p.pixelColor(x, y) == c;
            return n;
        };
        const QImage a = report::annotated(good, recipe, inspect::evaluate(*prepared, good)),
                     b = report::annotated(bad, recipe, inspect::evaluate(*prepared, bad));
        QVERIFY(count(a, report::lightTheme().fail) < 20);
        QVERIFY(count(b, report::lightTheme().fail) > 500); // the filled stamp
    }
};
QTEST_MAIN(SheetTest)
#include "sheet_test.moc"
