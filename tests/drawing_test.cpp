#include "base/files.h"
#include "demo/drawn_parts.h"
#include "drawing/deviation.h"
#include "drawing/dxf.h"

#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QProcess>
#include <QTemporaryDir>
#include <QtTest>

using namespace drawing;
using geometry::kPi;
using geometry::Point;

namespace
{
QJsonObject asked(const QStringList& arguments, bool& ok)
{
    QProcess other;
    other.start("/usr/bin/python3", QStringList{SOURCE_DIR "/tests/data/drawings.py"} + arguments);
    ok = other.waitForFinished(120000) && other.exitCode() == 0;
    if (!ok) qWarning() << other.readAllStandardError();
    return QJsonDocument::fromJson(other.readAllStandardOutput()).object();
}
Outline outlineOf(const Drawing& d, const OutlineSettings& s = {})
{
    auto o = Outline::make(d, s);
    if (!o) qFatal("%s", o.error().text().c_str());
    return *o;
}
std::string head(const std::string& entities, const std::string& header = {}, const std::string& blocks = {})
{
    return "0\nSECTION\n2\nHEADER\n" + header + "0\nENDSEC\n" +
           (blocks.empty() ? std::string() : "0\nSECTION\n2\nBLOCKS\n" + blocks + "0\nENDSEC\n") +
           "0\nSECTION\n2\nENTITIES\n" + entities + "0\nENDSEC\n0\nEOF\n";
}
std::string lineText(double x1, double y1, double x2, double y2, const std::string& layer = "0")
{
    const auto n = [](double v) { return QString::number(v, 'g', 17).toStdString(); };
    return "0\nLINE\n8\n" + layer + "\n10\n" + n(x1) + "\n20\n" + n(y1) + "\n11\n" + n(x2) + "\n21\n" + n(y2) + "\n";
}
const std::string kSquare =
    lineText(0, 0, 10, 0) + lineText(10, 10, 10, 0) + lineText(10, 10, 0, 10) + lineText(0, 10, 0, 0);
} // namespace

class DrawingTest : public QObject
{
    Q_OBJECT
private slots:
    void anArcIsCounterClockwiseAndItsPlacesAreExact()
    {
        const Element e = arcElement({3, -4}, 2, 0, kPi / 2);
        QVERIFY(geometry::distance(e.from, {5, -4}) < 1e-12);
        QVERIFY(geometry::distance(e.to, {3, -6}) < 1e-12); // up as seen
        QVERIFY(geometry::distance(e.nearest({3 + 5, -4 - 5}), {3 + std::sqrt(2.0), -4 - std::sqrt(2.0)}) < 1e-12);
        QVERIFY(geometry::distance(e.nearest({0, 0}), e.from) < 1e-12); // not on the arc: an end
        const Box box = boxOf({e});
        QVERIFY(std::abs(box.left - 3) < 1e-12 && std::abs(box.bottom - 4) < 1e-12 && std::abs(box.right - 5) < 1e-12 &&
                std::abs(box.top - 6) < 1e-12);
        QVERIFY(std::abs(boxOf({arcElement({0, 0}, 1, 0.1, 2 * kPi)}).left + 1) < 1e-12);
    }
    // ---- files
    void filesOfAnotherProgramHoldWhatItSays()
    {
        QTemporaryDir dir;
        bool ok = false;
        asked({"write", dir.path()}, ok);
        QVERIFY(ok);
        QFile said(dir.filePath("said.json"));
        QVERIFY(said.open(QIODevice::ReadOnly));
        const QJsonObject all = QJsonDocument::fromJson(said.readAll()).object();
        QCOMPARE(all.size(), 7);
        for (const QString& name : all.keys()) {
            const auto bytes = base::readFile(dir.filePath(name).toStdString());
            QVERIFY(bytes);
            const auto d = readDxf(*bytes);
            QVERIFY2(d, d ? "" : d.error().text().c_str());
            const QJsonObject truth = all[name].toObject(), counts = truth["counts"].toObject();
            QCOMPARE(int(d->entities.size()), int(counts.size()));
            for (const QString& type : counts.keys())
                QVERIFY2(d->entities.at(type.toStdString()) == counts[type].toInt(), qPrintable(name + " " + type));
            const QJsonArray box = truth["box"].toArray();
            const Box ours = d->box();
            const double b[4] = {ours.left, ours.bottom, ours.right, ours.top};
            for (int i = 0; i < 4; ++i)
                QVERIFY2(
                    std::abs(b[i] - box[i].toDouble()) < 0.002,
                    qPrintable(
                        QString("%1 box %2: %3, other says %4").arg(name).arg(i).arg(b[i]).arg(box[i].toDouble())));
            int left = 0;
            for (const NotRead& n : d->notRead) left += n.count;
            QCOMPARE(left, name.contains("R12") ? 2 : 4); // text and point; many-line text and hatch
            QVERIFY(d->unit == (name.contains("R12") ? LengthUnit::Unstated : LengthUnit::Millimetre));
        }
    }
    void whatIsWrittenPassesAnAuditAndComesBack()
    {
        QTemporaryDir dir;
        QStringList files{"audit"};
        for (int n = 0; n < demo::kDrawnParts; ++n) {
            const Drawing part = demo::drawnPart(n);
            const auto bytes = writeDxf(part);
            QVERIFY2(bytes, bytes ? "" : bytes.error().text().c_str());
            const auto back = readDxf(*bytes);
            QVERIFY2(back, back ? "" : back.error().text().c_str());
            QCOMPARE(back->elements.size(), part.elements.size());
            QVERIFY(back->unit == LengthUnit::Millimetre);
            for (std::size_t i = 0; i < part.elements.size(); ++i) {
                const Element &a = part.elements[i], &b = back->elements[i];
                QCOMPARE(a.arc, b.arc);
                QVERIFY(geometry::distance(a.from, b.from) < 1e-6 && geometry::distance(a.to, b.to) < 1e-6);
                QVERIFY(std::abs(a.length() - b.length()) < 1e-6);
                QCOMPARE(part.layers[std::size_t(a.layer)].name, back->layers[std::size_t(b.layer)].name);
            }
            const QString file = dir.filePath(QString("part-%1.dxf").arg(n));
            QVERIFY(base::writeAtomic(base::realFiles(), file.toStdString(), *bytes));
            files << file;
        }
        bool ok = false;
        const QJsonObject said = asked(files, ok);
        QVERIFY(ok && said.size() == demo::kDrawnParts);
        for (const QString& name : said.keys()) {
            QVERIFY2(said[name].toObject()["errors"].toArray().isEmpty(),
                     QJsonDocument(said[name].toObject()).toJson().constData());
        }
    }
    void unitsAreStatedOrSaid()
    {
        const auto unit = [](int code) { return "9\n$INSUNITS\n70\n" + std::to_string(code) + "\n"; };
        const auto inch = readDxf(head(kSquare, unit(1)));
        QVERIFY(inch && inch->unit == LengthUnit::Inch);
        QVERIFY(std::abs(inch->box().width() - 254) < 1e-9);
        const auto taken = readDxf(head(kSquare, unit(1)), LengthUnit::Millimetre);
        QVERIFY(taken && taken->unit == LengthUnit::Inch && std::abs(taken->box().width() - 10) < 1e-9);
        const auto none = readDxf(head(kSquare));
        QVERIFY(none && none->unit == LengthUnit::Unstated && std::abs(none->box().width() - 10) < 1e-9);
    }
    void badFilesAreRefusedByReason_data()
    {
        QTest::addColumn<QByteArray>("bytes");
        QTest::addColumn<QString>("words");
        QTest::newRow("empty") << QByteArray() << "no section";
        QTest::newRow("text") << QByteArray("hello\nworld\n") << "no section";
        QTest::newRow("binary") << QByteArray("abc\0def", 7) << "binary form";
        QTest::newRow("nothing in it") << QByteArray::fromStdString(head("")) << "no line, arc or curve";
        QTest::newRow("text only") << QByteArray::fromStdString(head("0\nTEXT\n8\n0\n1\nx\n")) << "1 TEXT";
        QTest::newRow("count") << QByteArray::fromStdString(
                                      head("0\nLWPOLYLINE\n8\nrim\n90\n2000000000\n10\n1\n20\n1\n"))
                               << "LWPOLYLINE on layer \"rim\"";
        QTest::newRow("itself")
            << QByteArray::fromStdString(
                   head("0\nINSERT\n8\n0\n2\nA\n10\n0\n20\n0\n", {},
                        "0\nBLOCK\n2\nA\n10\n0\n20\n0\n0\nINSERT\n8\n0\n2\nA\n10\n1\n20\n0\n0\nENDBLK\n"))
            << "places itself";
        QTest::newRow("far") << QByteArray::fromStdString(head(lineText(0, 0, 1e9, 0))) << "beyond 1e7 mm";
    }
    void badFilesAreRefusedByReason()
    {
        QFETCH(QByteArray, bytes);
        QFETCH(QString, words);
        const auto d = readDxf(bytes.toStdString());
        QVERIFY(!d);
        QVERIFY2(d.error().text().find(words.toStdString()) != std::string::npos, d.error().text().c_str());
    }
    void cutAndGarbledFilesNeverCrash()
    {
        QTemporaryDir dir;
        bool ok = false;
        asked({"write", dir.path()}, ok);
        QVERIFY(ok);
        const auto whole = base::readFile(dir.filePath("made-R2000.dxf").toStdString());
        QVERIFY(whole);
        demo::Random r(7);
        int read = 0;
        for (int i = 0; i < 150; ++i) {
            std::string bytes = *whole;
            if (i % 3 == 0) bytes.resize(std::size_t(r.uniform(0, double(bytes.size()))));
            else
                for (int k = 0; k < 40; ++k)
                    bytes[std::size_t(r.uniform(0, double(bytes.size())))] =
                        char(i % 3 == 1 ? r.below(10) + '0' : r.below(95) + 32);
            const auto d = readDxf(bytes);
            read += d.has_value();
            if (d) (void)Outline::make(*d);
            else QVERIFY(!d.error().text().empty());
        }
        QVERIFY(read > 20);
    }
    void whatIsMissingIsListed()
    {
        const auto d = readDxf(head(kSquare + "0\nINSERT\n8\npins\n2\nGONE\n10\n0\n20\n0\n" +
                                    "0\nMLINE\n8\nmisc\n0\nMLINE\n8\nmisc\n" +
                                    "0\nCIRCLE\n8\ntilted\n10\n0\n20\n0\n40\n2\n210\n1\n220\n0\n230\n0\n"));
        QVERIFY(d);
        QCOMPARE(d->notRead.size(), std::size_t(3));
        std::map<std::string, NotRead> by;
        for (const NotRead& n : d->notRead) by[n.type] = n;
        QVERIFY(by["MLINE"].count == 2 && by["MLINE"].layer == "misc");
        QVERIFY(by["INSERT"].why.find("GONE") != std::string::npos && by["INSERT"].layer == "pins");
        QVERIFY(by["CIRCLE"].why.find("above") != std::string::npos);
    }
    // ---- outlines
    void looseLinesBecomeOutlinesWithMaterialAtTheLeft()
    {
        // Drawn in any order and way, twice in part, with a tail and a gap within the tolerance.
        const auto d =
            readDxf(head(lineText(10, 0, 0, 0) + lineText(10, 0.004, 10, 10) + lineText(0, 10, 10, 10) +
                         lineText(0, 10, 0, 0) + lineText(0, 0, 0, 10) + lineText(10, 10, 15, 15) +
                         "0\nCIRCLE\n8\nholes\n10\n5\n20\n5\n40\n2\n0\nCIRCLE\n8\nholes\n10\n5\n20\n5\n40\n1\n"));
        QVERIFY(d);
        const Outline o = outlineOf(*d);
        QCOMPARE(o.loops().size(), std::size_t(3));
        QCOMPARE(o.doubles(), 1);
        QCOMPARE(o.open().size(), std::size_t(1));
        QVERIFY(!o.loops()[0].hole && o.loops()[1].hole && !o.loops()[2].hole && o.loops()[2].depth == 2);
        QVERIFY(std::abs(o.loops()[0].area - 100) < 0.05 && std::abs(o.loops()[1].area - 4 * kPi) < 0.01);
        QVERIFY(o.loops()[1].round && std::abs(o.loops()[1].round->radius - 2) < 1e-12);
        QCOMPARE(o.corners(0).size(), std::size_t(4));
        // Inside is negative, wherever.
        QVERIFY(o.nearest(sheet({1, 5}), 100)->offset == -1);
        QVERIFY(o.nearest(sheet({-3, 5}), 100)->offset == 3);
        QVERIFY(std::abs(o.nearest(sheet({5, 6.5}), 100)->offset - 0.5) < 1e-12);   // in the hole
        QVERIFY(std::abs(o.nearest(sheet({5, 5.25}), 100)->offset + 0.75) < 1e-12); // on the island
        QVERIFY(std::abs(o.nearest(sheet({-3, -4}), 100)->offset - 5) < 1e-12);     // off a corner
        QVERIFY(o.nearest(sheet({-3, -4}), 100)->atCorner);
        QVERIFY(!o.nearest(sheet({-3, -4}), 4));
        // A gap wider than the tolerance is an open outline.
        const auto gap = readDxf(head(lineText(0, 0, 10, 0) + lineText(10, 0.2, 10, 10) + lineText(10, 10, 0, 0)));
        QVERIFY(gap);
        const auto none = Outline::make(*gap);
        QVERIFY(!none && none.error().text().find("3 lines and arcs have open ends") != std::string::npos);
        QVERIFY(Outline::make(*gap, {{}, 0.5}));
        const auto off = Outline::make(*d, {{"0", "holes"}, 0.01});
        QVERIFY(!off && off.error().text().find("every layer") != std::string::npos);
        QCOMPARE(outlineOf(*d, {{"holes"}, 0.01}).loops().size(), std::size_t(1));
    }
    void nearestIsThatOfAllElements()
    {
        demo::Random r(3);
        for (int n = 0; n < demo::kDrawnParts; ++n) {
            const Outline o = outlineOf(demo::drawnPart(n));
            std::vector<std::vector<Point>> polygons;
            for (std::size_t l = 0; l < o.loops().size(); ++l) polygons.push_back(o.polygon(int(l), 1e-5));
            for (int i = 0; i < 300; ++i) {
                const Point p{r.uniform(o.box().left - 10, o.box().right + 10),
                              r.uniform(-o.box().top - 10, -o.box().bottom + 10)};
                double best = 1e300;
                for (const Element& e : o.elements()) best = std::min(best, e.distanceTo(p));
                bool in = false;
                for (const auto& poly : polygons)
                    for (std::size_t a = 0, b = poly.size() - 1; a < poly.size(); b = a++)
                        if ((poly[a].y > p.y) != (poly[b].y > p.y) &&
                            p.x < (poly[b].x - poly[a].x) * (p.y - poly[a].y) / (poly[b].y - poly[a].y) + poly[a].x)
                            in = !in;
                const auto f = o.nearest(p, 1e300);
                QVERIFY(f && std::abs(std::abs(f->offset) - best) < 1e-12);
                if (best > 1e-4) QVERIFY2((f->offset < 0) == in, demo::drawnPartName(n));
                const auto again = o.at(f->loop, f->along);
                QVERIFY(geometry::distance(again.at, f->at) < 1e-6);
            }
            // Mirrored twice is the drawing again.
            const Outline m = o.mirrored();
            for (int i = 0; i < 100; ++i) {
                const Point p{r.uniform(-30, 60), r.uniform(-40, 20)};
                QVERIFY(std::abs(m.nearest({-p.x, p.y}, 1e300)->offset - o.nearest(p, 1e300)->offset) < 1e-9);
            }
            double turned = 0; // round an outer outline the normals point outwards
            for (const auto& s : o.stations(0.5))
                turned += s.loop == 0 ? geometry::dot(s.outward, s.at - o.loops()[0].centre) : 0;
            QVERIFY(turned > 0);
        }
    }
    void curvesStayWithinTheChordError()
    {
        const auto d =
            readDxf(head("0\nELLIPSE\n8\n0\n10\n0\n20\n0\n11\n20\n21\n0\n40\n0.5\n41\n0\n42\n6.283185307179586\n"));
        QVERIFY(d);
        const Outline o = outlineOf(*d);
        QCOMPARE(o.loops().size(), std::size_t(1));
        QVERIFY(o.corners(0).empty());
        for (int i = 0; i < 5000; ++i) {
            const double t = i * 2 * kPi / 5000;
            const Point p{20 * std::cos(t), 10 * std::sin(t)};
            const auto f = o.nearest(p, 1);
            QVERIFY(std::abs(f->offset) < kChordError * 1.01);
            const double speed = std::hypot(20 * std::sin(t), 10 * std::cos(t)), k = 200 / (speed * speed * speed);
            QVERIFY(std::abs(f->curvature - k) < 0.05 * k + 1e-6); // bulges: positive
        }
    }
    void manyEntitiesAreReadAndJoined()
    {
        std::string text;
        for (int i = 0; i < 25000; ++i) {
            const double x = (i % 200) * 2.0, y = (i / 200) * 2.0;
            text += lineText(x, y, x + 1, y) + lineText(x + 1, y, x + 1, y + 1) + lineText(x + 1, y + 1, x, y + 1) +
                    lineText(x, y + 1, x, y);
        }
        const auto d = readDxf(head(text));
        QVERIFY(d && d->elements.size() == 100000);
        QCOMPARE(outlineOf(*d).loops().size(), std::size_t(25000));
        // An open line of many pieces takes no longer.
        text.clear();
        for (int i = 0; i < 50000; ++i) text += lineText(i * 0.1, 0, (i + 1) * 0.1, 0);
        const auto open = readDxf(head(text + kSquare));
        QVERIFY(open);
        QCOMPARE(outlineOf(*open).loops().size(), std::size_t(1));
    }
    // ---- laying
    void aDrawingIsLaidWhereItsPointsAre()
    {
        demo::Random r(11);
        for (int n = 0; n < demo::kDrawnParts; ++n) {
            const Outline o = outlineOf(demo::drawnPart(n));
            const Laid truth{{{r.uniform(200, 900), r.uniform(200, 900)}, r.uniform(-3, 3)}, 19.2, n % 3 == 2};
            const Laid start{{truth.pose.origin + Point{3, -2}, truth.pose.angle + 0.004}, 19.2, truth.mirrored};
            std::vector<Pairing> pairs;
            int i = 0;
            for (const auto& s : o.stations(0.5)) {
                Point px = truth.toPicture(s.at) + Point{r.normal(0.05, 0.3), r.normal(0.05, 0.3)};
                if (++i % 6 == 0) px = px + Point{r.uniform(2, 5), r.uniform(2, 5)}; // stray
                pairs.push_back({s.at, s.outward, px});
            }
            const auto laid = lay(pairs, start, {});
            QVERIFY(laid);
            double worst = 0;
            for (const auto& s : o.stations(2))
                worst = std::max(
                    worst,
                    std::abs(geometry::dot(laid->laid.toDrawing(truth.toPicture(s.at)) - s.at, s.outward)) * 19.2);
            QVERIFY2(worst < 0.05, qPrintable(QString("%1 %2").arg(demo::drawnPartName(n)).arg(worst)));
            const auto scaled = lay(pairs, {start.pose, 19.2 * 1.004, start.mirrored}, {true, 0.002, 20});
            QVERIFY(scaled);
            QVERIFY2(std::abs(scaled->laid.pxPerMm / 19.2 - 1) < 3e-4,
                     qPrintable(QString("%1 %2").arg(demo::drawnPartName(n)).arg(scaled->laid.pxPerMm / 19.2 - 1)));
        }
        QVERIFY(!lay({{{0, 0}, {1, 0}, {0, 0}}}, {}));
    }
    void likenessesAreThoseOfTheShape()
    {
        const auto turns = [](int n, bool mirrored) {
            int out = 0;
            for (const Likeness& l : likenesses(outlineOf(demo::drawnPart(n)), 0.02, 0.98))
                out += l.mirrored == mirrored;
            return out;
        };
        QCOMPARE(turns(1, false), 1); // a box
        QCOMPARE(turns(1, true), 2);
        QCOMPARE(turns(2, false), 3); // a square
        QCOMPARE(turns(2, true), 4);
        QCOMPARE(turns(4, false), 0); // a bracket
        QCOMPARE(turns(4, true), 0);
        QCOMPARE(turns(10, false), 5); // a hexagon
        QCOMPARE(turns(11, true), 1);  // a cam
        // The plate looks much like itself turned by half, but is not.
        const auto near = likenesses(outlineOf(demo::drawnPart(0)), 0.05, 0.6);
        QVERIFY(!near.empty() && near.front().share < 0.97);
        // A laid drawing moved by a likeness lies there.
        const Outline o = outlineOf(demo::drawnPart(11));
        const Laid laid{{{300, 200}, 0.7}, 12, false};
        const auto same = likenesses(o, 0.02, 0.98);
        QCOMPARE(same.size(), std::size_t(1));
        const Laid other = alike(laid, same[0]);
        QVERIFY(other.mirrored);
        for (const auto& s : o.stations(1)) {
            QVERIFY(geometry::distance(other.toPicture(s.at), laid.toPicture(same[0].map(s.at))) < 1e-9);
            QVERIFY(std::abs(o.nearest(laid.toDrawing(other.toPicture(s.at)), 1)->offset) < 0.03);
        }
    }
    // ---- deviation
    void deviationsHaveTheSignOfTheMaterial()
    {
        const Outline o = outlineOf(demo::drawnPart(4)); // the bracket
        const Laid laid{{{400, 700}, 0.4}, 20, false};
        // A wave of ± 0.2 mm on every outline, along the normals.
        std::vector<FoundLoop> found;
        for (std::size_t l = 0; l < o.loops().size(); ++l) {
            FoundLoop f;
            const double length = o.loops()[l].length;
            const int n = int(length * 20);
            for (int i = n; i-- > 0;) { // material at the right hand of the way
                const auto s = o.at(int(l), length * i / n);
                f.points.push_back(laid.toPicture(s.at + s.outward * (0.2 * std::sin(2 * kPi * 3 * i / n))));
            }
            found.push_back(f);
        }
        const Deviations d = deviations(o, laid, found, {1, 0.5, 0.05});
        QCOMPARE(d.lines.size(), o.loops().size());
        QVERIFY(d.missing.empty() && d.surplus.empty());
        QVERIFY(std::abs(d.most - 0.2) < 0.002 && std::abs(d.least + 0.2) < 0.002);
        QVERIFY(std::abs(d.zone() - 0.4) < 0.004);
        for (const auto& line : d.lines)
            for (const auto& p : line) {
                const double truth = 0.2 * std::sin(2 * kPi * 3 * p.along / o.loops()[std::size_t(p.loop)].length);
                const auto f = o.at(p.loop, p.along);
                if (f.cornerGap < 1) continue;
                QVERIFY2(std::abs(p.offset - truth) < 0.02, qPrintable(QString("%1 %2").arg(p.offset).arg(truth)));
            }
        const auto beyond = stretchesBeyond(d, 0.15);
        QCOMPARE(beyond.size(), std::size_t(18)); // six crests and troughs on each of three outlines
        for (const Stretch& s : beyond) QVERIFY(std::abs(std::abs(s.worst) - 0.2) < 0.002);
        QVERIFY(stretchesBeyond(d, 0.21).empty());
        // What is not there, and what is there too much.
        found.pop_back();
        FoundLoop extra;
        for (int i = 60; i-- > 0;)
            extra.points.push_back(laid.toPicture(sheet({6, 8}) + geometry::direction(-i * kPi / 30) * 0.8));
        found.push_back(extra);
        const Deviations faulty = deviations(o, laid, found, {1, 0.5, 0.05});
        QCOMPARE(faulty.missing.size(), std::size_t(1));
        QCOMPARE(faulty.surplus.size(), std::size_t(1));
        QVERIFY(geometry::distance(faulty.surplus[0].at, sheet({6, 8})) < 0.01 &&
                std::abs(faulty.surplus[0].size - 1.6) < 0.02);
    }
};

QTEST_APPLESS_MAIN(DrawingTest)
#include "drawing_test.moc"
