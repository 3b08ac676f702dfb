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
