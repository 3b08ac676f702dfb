#include "inspect/tracing.h"

#include "drawn_support.h"

using namespace support;
using geometry::Point;

class TraceTest : public QObject
{
    Q_OBJECT
    static constexpr double kMm = 0.08;

private slots:
    // Twelve rendered parts: traced, written, read again and compared with the true drawing.
    void aPartBecomesItsDrawing()
    {
        double worstCentre = 0, worstRadius = 0;
        demo::Random r(21);
        for (int part = 0; part < demo::kDrawnParts; ++part) {
            const drawing::Drawing d = demo::drawnPart(part);
            const drawing::Outline o = outlineOf(d);
            for (int turn = 0; turn < 4; ++turn) {
                Look look;
                look.noise = turn == 0 ? 0 : 2;
                const drawing::Laid truth = anywhere(o, kMm, look, r);
                const image::Image picture = pictureOf({{o, truth}}, look, std::uint64_t(turn));
                auto traced = inspect::trace(picture.grey(), geometry::Calibration::factor(kMm, ""), {});
                QVERIFY2(traced, traced ? "" : traced.error().text().c_str());
                QVERIFY(traced->dark);
                const QString name = QString("%1 turn %2: ").arg(demo::drawnPartName(part)).arg(turn);
                QVERIFY2(traced->drawing.elements.size() == d.elements.size(),
                         qPrintable(name + QString("%1 elements, drawn are %2")
                                               .arg(traced->drawing.elements.size())
                                               .arg(d.elements.size())));
                auto bytes = drawing::writeDxf(traced->drawing);
                QVERIFY(bytes);
                auto back = drawing::readDxf(*bytes);
                QVERIFY(back);
                auto outline = drawing::Outline::make(*back);
                QVERIFY2(outline, outline ? "" : outline.error().text().c_str());
                QCOMPARE(outline->loops().size(), o.loops().size());
                QCOMPARE(outline->open().size(), std::size_t(0));
                // Every arc has its like: place in the picture and radius.
                for (const auto& e : back->elements) {
                    if (!e.arc) continue;
                    const Point c = traced->laid.toPicture(e.centre);
                    double best = 1e9, radius = 0;
                    for (const auto& t : d.elements)
                        if (t.arc && std::abs(t.radius - e.radius) < 0.2 &&
                            geometry::distance(truth.toPicture(t.centre), c) < best) {
                            best = geometry::distance(truth.toPicture(t.centre), c);
                            radius = t.radius;
                        }
                    const bool wide = e.sweep > geometry::radians(60); // of less an arc's size is hardly seen
                    if (wide) {
                        worstCentre = std::max(worstCentre, best);
                        worstRadius = std::max(worstRadius, std::abs(radius - e.radius) / kMm);
                    }
                    const double most = wide ? (turn == 0 ? 0.02 : 0.09) : 0.6;
                    QVERIFY2(best < most && std::abs(radius - e.radius) / kMm < most,
                             qPrintable(name + QString("an arc R%1 over %2° is off by %3 px")
                                                   .arg(radius)
                                                   .arg(geometry::degrees(e.sweep))
                                                   .arg(best)));
                }
            }
        }
        qInfo("worst arc centre %.4f px, radius %.4f px", worstCentre, worstRadius);
    }
    void roundedNominalsAreThoseThatWereMeant()
    {
        for (const int part : {0, 1, 4, 5, 9}) {
            const drawing::Drawing d = demo::drawnPart(part);
            const drawing::Outline o = outlineOf(d);
            Look look;
            const drawing::Laid truth{{{240, 480}, 0.12}, 1 / kMm, false};
            auto traced =
                inspect::trace(pictureOf({{o, truth}}, look, 3).grey(), geometry::Calibration::factor(kMm, ""), {});
            QVERIFY2(traced, traced ? "" : traced.error().text().c_str());
            // Into the true frame, as a person does by choosing datums.
            inspect::reframe(*traced, traced->laid.toDrawing(truth.pose.origin),
                             truth.pose.angle - traced->laid.pose.angle);
            QVERIFY(inspect::roundNominals(*traced, 0.1, 0.03) > 0);
            QCOMPARE(traced->drawing.elements.size(), d.elements.size());
            auto outline = drawing::Outline::make(traced->drawing, {{}, 1e-6});
            QVERIFY2(outline && outline->open().empty(), demo::drawnPartName(part));
            for (const auto& s : outline->stations(0.5)) {
                const auto f = o.nearest(s.at, 5);
                QVERIFY2(f && std::abs(f->offset) < 0.002, qPrintable(QString("%1: off by %2 mm at %3, %4")
                                                                          .arg(demo::drawnPartName(part))
                                                                          .arg(f ? f->offset : -1)
                                                                          .arg(s.at.x)
                                                                          .arg(-s.at.y)));
            }
        }
    }
    void whatIsNoPartIsRefused()
    {
        const auto cal = geometry::Calibration::factor(kMm, "");
        image::Image grey(300, 200, image::PixelFormat::Grey8);
        QVERIFY(!inspect::trace(grey.grey(), cal));
        const drawing::Outline o = outlineOf(demo::drawnPart(4));
        Look look;
        const image::Image cut = pictureOf({{o, {{{-100, 400}, 0}, 1 / kMm, false}}}, look, 1);
        const auto no = inspect::trace(cut.grey(), cal);
        QVERIFY(!no && no.error().text().find("cut by the picture's border") != std::string::npos);
        QVERIFY(!inspect::trace(cut.grey(), {}));
    }
    void aBrightPartIsTracedToo()
    {
        const drawing::Drawing d = demo::drawnPart(8);
        const drawing::Outline o = outlineOf(d);
        Look look;
        look.dark = false;
        auto traced = inspect::trace(pictureOf({{o, {{{400, 350}, 0.5}, 1 / kMm, false}}}, look, 3).grey(),
                                     geometry::Calibration::factor(kMm, ""), {});
        QVERIFY(traced && !traced->dark);
        QCOMPARE(traced->drawing.elements.size(), d.elements.size());
    }
};

QTEST_APPLESS_MAIN(TraceTest)
#include "trace_test.moc"
