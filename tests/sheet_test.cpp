// The drawing: labels keep clear of each other at any turn, marks stay readable on any grey, verdicts without colour.
#include "desktop/grid_view.h"
#include "report/sheet_painter.h"
#include "report/theme.h"
#include "support.h"

#include <QApplication>

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
                const double k = std::min(size.width() / double(smallField().width), size.height() / double(smallField().height));
                const QRectF area(QPointF(), size);
                report::SheetScene scene{&recipe, &result, 0, "width", false, QSizeF(smallField().width, smallField().height)};
                scene.obstacle = report::titleBlockBox(scene, "plate.png", area);
                const auto labels = report::paintSheet(p, scene, QTransform(k, 0, 0, k, (size.width() - k * smallField().width) / 2, 0), area);
                QVERIFY2(labels.size() >= 4, qPrintable(QString::number(degree)));
                for (std::size_t i = 0; i < labels.size(); ++i) {
                    QVERIFY2(!labels[i].box.adjusted(2, 2, -2, -2).intersects(scene.obstacle), qPrintable(QString("%1 %2").arg(degree).arg(i)));
                    for (std::size_t j = 0; j < i; ++j)
                        QVERIFY2(!labels[i].box.adjusted(1, 1, -1, -1).intersects(labels[j].box.adjusted(1, 1, -1, -1)),
                                 qPrintable(QString("%1°: %2 and %3")
                                                .arg(degree)
                                                .arg(QString::fromStdString(labels[i].step), QString::fromStdString(labels[j].step))));
                }
            }
        }
    }
    // Core to casing, whatever grey lies below.
    void casedMarksAreReadableOnEveryGrey()
    {
        const auto& t = report::lightTheme();
        for (const QColor& core : {t.pass, t.fail, t.datum, t.notMeasured}) QVERIFY2(contrast(core, t.paper) >= 4.5, qPrintable(core.name()));
        for (const QColor& c : {t.ink, t.second, t.pass, t.fail, t.datum}) QVERIFY(contrast(c, t.paper) >= 4.5);
        const auto& d = report::darkTheme();
        for (const QColor& c : {d.ink, d.second, d.pass, d.fail, d.datum, d.notMeasured}) QVERIFY2(contrast(c, d.paper) >= 4.5, qPrintable(c.name()));
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
            for (int c = 0; c < 5; ++c) cells.push_back(grey.copy(grid.cellRect(0, c).adjusted(0, 0, width > 3 ? -1 : 0, 0)));
            for (int a = 0; a < 5; ++a)
                for (int b = 0; b < a; ++b) {
                    if (width == 3 && (a >= 3) && (b >= 3)) continue; // a ring has no room; unjudged and not asked are both no news
                    long long difference = 0;
                    for (int y = 0; y < cells[0].height(); ++y)
                        for (int x = 0; x < cells[0].width(); ++x)
                            difference += std::abs(cells[std::size_t(a)].pixelColor(x, y).value() - cells[std::size_t(b)].pixelColor(x, y).value());
                    QVERIFY2(difference > 100, qPrintable(QString("width %1: %2 and %3 look alike (%4)").arg(width).arg(a).arg(b).arg(difference)));
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
