// The printed target: what the PDF says, read from its own page description, at true scale to a hundredth of a
// millimetre.
#include "report/target_pdf.h"

#include <QFile>
#include <QRectF>
#include <QTransform>
#include <QtTest>
#include <array>
#include <cmath>

using namespace report;
using inspect::Target;
using inspect::TargetKind;

namespace
{
struct Shape {
    QRectF box; // mm on the page, y down
    bool dark = true, round = false, line = false;
};
// Reads the one page's operators (ISO 32000-1, 8.5): rectangles, curves, lines, transformations.
std::vector<Shape> shapesOf(const QByteArray& pdf, double& pageWide, double& pageHigh)
{
    const auto media = pdf.indexOf("/MediaBox [");
    const QList<QByteArray> size = pdf.mid(media + 11, pdf.indexOf(']', media) - media - 11).simplified().split(' ');
    pageWide = size.value(2).toDouble() / 72 * 25.4, pageHigh = size.value(3).toDouble() / 72 * 25.4;
    QByteArray page;
    for (qsizetype at = pdf.indexOf("stream\n"); at >= 0; at = pdf.indexOf("stream\n", at + 1)) {
        if (at >= 3 && pdf.mid(at - 3, 3) == "end") continue;
        const QByteArray packed = pdf.mid(at + 7, pdf.indexOf("endstream", at + 7) - at - 7);
        QByteArray sized(4, '\0'); // the length qUncompress wants first is only a hint
        sized[1] = 16;
        const QByteArray text = qUncompress(sized + packed);
        if (text.contains(" cm\n")) page = text;
    }
    std::vector<Shape> out;
    std::vector<QTransform> stack{QTransform()};
    std::vector<double> n;
    QPolygonF path;
    bool dark = true, round = false;
    const auto mm = [&](double x, double y) {
        const QPointF p = stack.back().map(QPointF(x, y)); // points, from the lower left
        return QPointF(p.x() / 72 * 25.4, pageHigh - p.y() / 72 * 25.4);
    };
    for (const QByteArray& word : page.simplified().split(' ')) {
        bool number = false;
        const double v = word.toDouble(&number);
        if (number) {
            n.push_back(v);
            continue;
        }
        const auto need = [&](std::size_t k) { return n.size() >= k; };
        if (word == "q") stack.push_back(stack.back());
        else if (word == "Q" && stack.size() > 1) stack.pop_back();
        else if (word == "cm" && need(6)) stack.back() = QTransform(n[0], n[1], n[2], n[3], n[4], n[5]) * stack.back();
        else if (word == "scn" && need(3)) dark = n[0] + n[1] + n[2] < 1.5;
        else if (word == "re" && need(4)) path << mm(n[0], n[1]) << mm(n[0] + n[2], n[1] + n[3]);
        else if (word == "m" && need(2)) path << mm(n[0], n[1]);
        else if (word == "l" && need(2)) path << mm(n[0], n[1]);
        else if (word == "c" && need(6)) path << mm(n[4], n[5]), round = true;
        else if (word == "f" || word == "f*" || word == "S" || word == "n") {
            if (!path.isEmpty() && word != "n") out.push_back({path.boundingRect(), dark, round, word == "S"});
            path.clear(), round = false;
        }
        if (word != "q" || !n.empty()) n.clear();
    }
    return out;
}
} // namespace

class TargetPdfTest : public QObject
{
    Q_OBJECT
    QTemporaryDir m_dir;

    std::vector<Shape> print(const Target& t, bool marked, double& wide, double& high)
    {
        const QString path = m_dir.filePath("t.pdf");
        if (auto ok = writeTargetPdf(path.toStdString(), t, marked); !ok) qFatal("%s", ok.error().text().c_str());
        QFile file(path);
        if (!file.open(QIODevice::ReadOnly)) qFatal("not written");
        return shapesOf(file.readAll(), wide, high);
    }

private slots:
    void squaresStandAtTrueScale_data()
    {
        QTest::addColumn<int>("columns");
        QTest::addColumn<int>("rows");
        QTest::addColumn<double>("pitch");
        QTest::newRow("small") << 4 << 3 << 10.0;
        QTest::newRow("fine") << 15 << 12 << 1.27;
        QTest::newRow("large") << 9 << 6 << 63.5;
        QTest::newRow("odd") << 8 << 5 << 8.125;
    }
    void squaresStandAtTrueScale()
    {
        QFETCH(int, columns);
        QFETCH(int, rows);
        QFETCH(double, pitch);
        double wide = 0, high = 0;
        const auto shapes = print({TargetKind::Checkerboard, columns, rows, pitch, 0}, false, wide, high);
        const PageSize page = targetPage({TargetKind::Checkerboard, columns, rows, pitch, 0});
        QVERIFY(std::abs(wide - page.width) < 0.36 && std::abs(high - page.height) < 0.36); // pages are whole points
        std::vector<QRectF> squares;
        for (const Shape& s : shapes)
            if (!s.line && !s.round && s.dark && std::abs(s.box.width() - pitch) < 0.2 * pitch)
                squares.push_back(s.box);
        QCOMPARE(int(squares.size()), ((columns + 1) * (rows + 1) + 1) / 2);
        QRectF all;
        for (const QRectF& s : squares) {
            QVERIFY2(std::abs(s.width() - pitch) < 0.01 && std::abs(s.height() - pitch) < 0.01,
                     qPrintable(QString::number(s.width())));
            all |= s;
        }
        QVERIFY(std::abs(all.width() - (columns + 1) * pitch) < 0.01 &&
                std::abs(all.height() - (rows + 1) * pitch) < 0.01);
        for (const QRectF& s : squares) { // on the lattice, and never two beside each other
            const double c = (s.left() - all.left()) / pitch, r = (s.top() - all.top()) / pitch;
            QVERIFY(std::abs(c - std::round(c)) < 0.01 && std::abs(r - std::round(r)) < 0.01);
            QCOMPARE((std::lround(c) + std::lround(r)) % 2, 0L);
        }
        QVERIFY(all.left() > 5 && all.top() > 5 && all.right() < wide - 5); // a rim that printers keep
    }
    void dotsStandAtTrueScale()
    {
        double wide = 0, high = 0;
        const Target t{TargetKind::Dots, 11, 7, 12.5, 5};
        const auto shapes = print(t, true, wide, high);
        std::vector<QPointF> dots, hollows;
        for (const Shape& s : shapes) {
            if (!s.round) continue;
            QVERIFY(std::abs(s.box.width() - s.box.height()) < 0.01);
            if (s.dark) {
                QVERIFY(std::abs(s.box.width() - 5) < 0.01);
                dots.push_back(s.box.center());
            } else {
                hollows.push_back(s.box.center());
            }
        }
        QCOMPARE(int(dots.size()), 77);
        QCOMPARE(int(hollows.size()), 3);
        for (int r = 0; r < 7; ++r)
            for (int c = 0; c < 11; ++c) {
                const QPointF d = dots[std::size_t(r * 11 + c)] - dots[0];
                QVERIFY(std::abs(d.x() - c * 12.5) < 0.01 && std::abs(d.y() - r * 12.5) < 0.01);
            }
        // The mark: the middle dot, its neighbour to the right and the one below.
        QVERIFY(QLineF(hollows[0], dots[3 * 11 + 5]).length() < 0.01 &&
                QLineF(hollows[1], dots[3 * 11 + 6]).length() < 0.01);
        QVERIFY(QLineF(hollows[2], dots[4 * 11 + 5]).length() < 0.01);
        double w = 0, h = 0;
        for (const Shape& s : print(t, false, w, h)) QVERIFY(s.dark || !s.round); // plain: none is hollow
    }
    void theMarkOfSquaresIsOfTheOppositeKind()
    {
        double wide = 0, high = 0;
        const auto shapes = print({TargetKind::Checkerboard, 8, 6, 10, 0}, true, wide, high);
        std::vector<Shape> discs;
        QRectF first;
        for (const Shape& s : shapes) {
            if (s.round) discs.push_back(s);
            else if (!s.line && s.dark && std::abs(s.box.width() - 10) < 0.1 && first.isNull()) first = s.box;
        }
        QCOMPARE(int(discs.size()), 3);
        // The middle square's upper left corner is inner corner (3, 2); the print begins one square before (0, 0).
        const QPointF middle = first.topLeft() + QPointF((3 + 1.5) * 10, (2 + 1.5) * 10);
        QVERIFY(QLineF(discs[0].box.center(), middle).length() < 0.01);
        QVERIFY(QLineF(discs[1].box.center(), middle + QPointF(10, 0)).length() < 0.01);
        QVERIFY(QLineF(discs[2].box.center(), middle + QPointF(0, 10)).length() < 0.01);
        QVERIFY(discs[0].dark != discs[1].dark && discs[0].dark != discs[2].dark);
    }
    void theRulerIsAsLongAsItSays()
    {
        double wide = 0, high = 0;
        const auto shapes = print({TargetKind::Dots, 10, 8, 15, 0}, true, wide, high);
        double longest = 0;
        for (const Shape& s : shapes)
            if (s.line) longest = std::max(longest, s.box.width());
        QVERIFY2(std::abs(longest - std::floor((targetPage({TargetKind::Dots, 10, 8, 15, 0}).width - 20) / 10) * 10) <
                     0.01,
                 qPrintable(QString::number(longest)));
    }
    void whatCannotBePrintedIsRefused()
    {
        const auto huge =
            writeTargetPdf(m_dir.filePath("h.pdf").toStdString(), {TargetKind::Checkerboard, 200, 200, 100, 0});
        QVERIFY(!huge && huge.error().message.find("5000 mm") != std::string::npos);
        QVERIFY(!QFile::exists(m_dir.filePath("h.pdf")));
        QVERIFY(!writeTargetPdf("/proc/none/t.pdf", {TargetKind::Dots, 4, 4, 5, 0}));
        // dots as large as the pitch
        QVERIFY(!writeTargetPdf(m_dir.filePath("b.pdf").toStdString(), {TargetKind::Dots, 4, 4, 5, 6}));
    }
};
QTEST_MAIN(TargetPdfTest)
#include "target_pdf_test.moc"
