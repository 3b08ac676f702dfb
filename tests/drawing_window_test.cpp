// A drawing in the window: taken by dropping it, its layers and unit, laid on the part by a frame, sizes picked on it,
// everything at once, and a part without one made to a drawing.
#include "demo/drawn_parts.h"
#include "desktop/drawing_dialog.h"
#include "desktop/evidence_view.h"
#include "desktop/trace_dialog.h"
#include "drawing/dxf.h"
#include "kind_gestures.h"
#include "window_support.h"

#include <QComboBox>
#include <QDropEvent>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMimeData>
#include <QPushButton>
#include <QTableWidget>
#include <QToolButton>

using namespace support;
using namespace desktop;
using namespace recipe;
using geometry::Point;

class DrawingWindowTest : public QObject
{
    Q_OBJECT
    OwnPlace m_place;
    QTemporaryDir m_set;
    std::unique_ptr<MainWindow> m_window;

    Session& session() { return m_window->session(); }
    SheetView* sheet() { return m_window->setupPage()->sheet(); }
    bool settled()
    {
        return waitFor([&] { return session().settled(); });
    }
    void open()
    {
        QVERIFY(m_window->openRecipe(m_set.filePath("drawn-plate.dikkat")));
        QVERIFY(settled());
        session().setShowReference(true);
        QVERIFY(settled());
    }
    QPointF place(Point mm)
    {
        const double k = 1 / session().recipe().mmPerPixel();
        const auto& p = session().shownPicture().pixels;
        return sheet()->screenOf({p.width() / 2.0 + mm.x * k, p.height() / 2.0 + mm.y * k});
    }
    // A dialog that opens: `act` is done to it.
    template <class T> void within(const std::function<void(T&)>& act, const std::function<void()>& opens)
    {
        bool done = false;
        QTimer look;
        QObject::connect(&look, &QTimer::timeout, this, [&] {
            auto* dialog = m_window->findChild<T*>();
            if (!dialog || !dialog->isVisible()) return;
            look.stop();
            act(*dialog);
            done = true;
            if (dialog->isVisible()) dialog->reject();
        });
        look.start(10);
        opens();
        QVERIFY(done);
    }

private slots:
    void initTestCase() { QVERIFY(demo::writeDrawnPlates(m_set.path().toStdString(), 1, 9, {1224, 1024, 0.104})); }
    void init() { m_window = openWindow(m_place.path(QTest::currentTestFunction())); }
    void cleanup()
    {
        if (m_window) m_window->session().forgetRecovery();
        m_window.reset();
    }
    void theDialogSaysWhatTheDrawingHolds()
    {
        open();
        within<DrawingDialog>(
            [&](DrawingDialog& d) {
                const QString facts = d.findChild<QLabel*>("drawingFacts")->text();
                QVERIFY2(facts.contains("100.00 × 26.00 mm") && facts.contains("14 holes"), qPrintable(facts));
                auto* layers = d.findChild<QListWidget*>("drawingLayers");
                QCOMPARE(layers->count(), 3);
                for (int i = 0; i < layers->count(); ++i)
                    if (layers->item(i)->text().startsWith("holes")) layers->item(i)->setCheckState(Qt::Unchecked);
                QVERIFY(d.findChild<QLabel*>("drawingFacts")->text().contains("0 holes"));
                d.accept();
            },
            [&] { m_window->findChild<QAction*>("drawing")->trigger(); });
        QCOMPARE(session().recipe().drawn.layersOff, std::vector<std::string>{"holes"});
        QCOMPARE(session().recipe().drawing.outline->loops().size(), std::size_t(1));
        QVERIFY(m_window->findChild<QToolButton*>("drawingChip")->isVisible());
        m_window->findChild<QAction*>("undo")->trigger();
        QCOMPARE(session().recipe().drawing.outline->loops().size(), std::size_t(15));
        // Another unit makes another size.
        within<DrawingDialog>(
            [&](DrawingDialog& d) {
                auto* unit = d.findChild<QComboBox*>("drawingUnit");
                unit->setCurrentIndex(unit->findText("inch"));
                QVERIFY(d.findChild<QLabel*>("drawingFacts")->text().contains("2540.00"));
            },
            [&] { m_window->findChild<QAction*>("drawing")->trigger(); });
        QVERIFY(!session().recipe().drawn.unit); // not taken
    }
    void aDroppedFileIsTaken()
    {
        open();
        within<DrawingDialog>(
            [&](DrawingDialog& d) {
                d.findChild<QPushButton*>("drawingDrop")->click();
                d.accept();
            },
            [&] { m_window->findChild<QAction*>("drawing")->trigger(); });
        QVERIFY(session().recipe().drawing.empty());
        QVERIFY(settled());
        QVERIFY(session().currentItem()->step("s1")->reason.find("no drawing") != std::string::npos);
        QMimeData data;
        data.setUrls({QUrl::fromLocalFile(m_set.filePath("plate.dxf"))});
        within<DrawingDialog>(
            [&](DrawingDialog& d) {
                QVERIFY(d.findChild<QLabel*>("drawingFile")->text().contains("plate.dxf"));
                d.accept();
            },
            [&] {
                QDragEnterEvent enter(QPoint(300, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
                QCoreApplication::sendEvent(m_window.get(), &enter);
                QVERIFY(enter.isAccepted());
                QDropEvent drop(QPointF(300, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
                QCoreApplication::sendEvent(m_window.get(), &drop);
                QTest::qWait(300); // the dialog opens when the drop is over
            });
        QVERIFY(!session().recipe().drawing.empty());
        QVERIFY(settled());
        QVERIFY2(session().currentItem()->step("s1")->state == inspect::State::Ok,
                 session().currentItem()->step("s1")->reason.c_str());
        // A file that is none says so in the dialog.
        QTemporaryDir dir;
        QFile bad(dir.filePath("bad.dxf"));
        QVERIFY(bad.open(QIODevice::WriteOnly));
        bad.write("nothing\n");
        bad.close();
        within<DrawingDialog>(
            [&](DrawingDialog& d) {
                d.read(dir.filePath("bad.dxf"));
                QVERIFY(d.findChild<QLabel*>("drawingFacts")->text().contains("no section"));
            },
            [&] { m_window->findChild<QAction*>("drawing")->trigger(); });
    }
    void everyKindByGesture_data()
    {
        QTest::addColumn<int>("row");
        const auto all = gestures::drawnMakings();
        for (int i = 0; i < int(all.size()); ++i) QTest::newRow(all[std::size_t(i)].kind) << i;
    }
    void everyKindByGesture()
    {
        QFETCH(int, row);
        const gestures::Making m = gestures::drawnMakings()[std::size_t(row)];
        open();
        if (std::string(m.kind) == "drawing_datum") {
            session().change("bare", [](Recipe& r) { r.steps.clear(); });
            QVERIFY(settled());
        }
        session().select({});
        sheet()->setArmedKind(m.kind);
        if (m.hand.way == gestures::Hand::Way::Click)
            QTest::mouseClick(sheet(), Qt::LeftButton, Qt::NoModifier, place(m.hand.path.front()).toPoint());
        else
            drag(sheet(), place(m.hand.path.front()), place(m.hand.path.back()),
                 m.hand.way == gestures::Hand::Way::Area ? Qt::ControlModifier : Qt::NoModifier);
        QVERIFY2(session().draft(), qPrintable(sheet()->pointerText()));
        QCOMPARE(session().draft()->offer().step.kind, std::string(m.kind));
        QVERIFY(settled());
        const std::size_t steps = session().recipe().steps.size();
        QTest::keyClick(sheet(), Qt::Key_Return);
        QCOMPARE(session().recipe().steps.size(), steps + 1);
        QVERIFY(settled());
        const Step made = session().recipe().steps.back();
        const auto* r = session().currentItem()->step(made.id);
        const auto* o = r->output(m.output);
        QVERIFY2(o && !o->values.empty(), r->reason.c_str());
        QVERIFY2(o->values[0] >= m.low && o->values[0] <= m.high, qPrintable(QString::number(o->values[0])));
        if (std::string(m.kind) != "drawn_line" && std::string(m.kind) != "drawn_circle")
            QVERIFY(inspect::evidence(*session().prepared(), *session().capture(), *session().currentItem(), made.id));
        m_window->findChild<QAction*>(QStringLiteral("undo"))->trigger();
        QCOMPARE(session().recipe().steps.size(), steps);
    }
    // A hole offers ⌀, place, R, roundness in turn; the nominal is the drawing's, the tolerance the recipe's class.
    void aClickOnAHoleOffersItsReadings()
    {
        open();
        session().change("class", [](Recipe& r) { r.toleranceClass = ToleranceClass::M; });
        QVERIFY(settled());
        session().select({});
        sheet()->setArmedKind("drawn_circle");
        QTest::mouseClick(sheet(), Qt::LeftButton, Qt::NoModifier, place({46 - 1.35, -9}).toPoint());
        QVERIFY(session().draft());
        QCOMPARE(session().draft()->offer().step.checks.front().output, std::string("diameter"));
        QCOMPARE(*session().draft()->offer().step.checks.front().limits.nominal, 2.7);
        QVERIFY(session().draft()->offer().step.checks.front().limits.general == General::Length);
        QTest::keyClick(sheet(), Qt::Key_Tab);
        QCOMPARE(session().draft()->offer().step.checks.front().output, std::string("position"));
        QTest::keyClick(sheet(), Qt::Key_Tab);
        QCOMPARE(session().draft()->offer().step.checks.front().output, std::string("radius"));
        QTest::keyClick(sheet(), Qt::Key_Escape);
    }
    void aStrokeFromHoleToHoleIsTheirDistance()
    {
        open();
        session().change("fewer", [](Recipe& r) { r.steps.erase(r.steps.begin() + 1, r.steps.end()); });
        QVERIFY(settled());
        session().select({});
        sheet()->setArmedKind("distance");
        drag(sheet(), place({-46 + 1.35, -9}), place({46 - 1.35, -9}), Qt::NoModifier);
        QVERIFY2(session().draft(), qPrintable(sheet()->pointerText()));
        QCOMPARE(session().draft()->offer().step.kind, std::string("distance"));
        QCOMPARE(*session().draft()->offer().step.checks.front().limits.nominal, 92.0);
        QVERIFY(settled());
        QTest::keyClick(sheet(), Qt::Key_Return);
        QCOMPARE(session().recipe().steps.size(), std::size_t(4)); // both holes come with it
        QVERIFY(settled());
        const auto* c = session().currentItem()->check(session().recipe().steps.back().id, "distance");
        QVERIFY(c && !c->values.empty() && std::abs(c->values[0] - 92) < 0.02);
        m_window->findChild<QAction*>("undo")->trigger();
        QCOMPARE(session().recipe().steps.size(), std::size_t(1));
    }
    void everythingIsThereAtOnceAndGoesAtOnce()
    {
        open();
        session().change("class", [](Recipe& r) {
            r.toleranceClass = ToleranceClass::M;
            r.steps.erase(r.steps.begin() + 1, r.steps.end());
        });
        QVERIFY(settled());
        m_window->findChild<QAction*>("everythingDrawn")->trigger();
        // Four holes, three pitches, one outline.
        QCOMPARE(session().recipe().steps.size(), std::size_t(9));
        QVERIFY(settled());
        const auto* item = session().currentItem();
        int passed = 0;
        for (const auto& c : item->checks) {
            QVERIFY2(c.verdict != inspect::Verdict::Fail && c.verdict != inspect::Verdict::NotMeasured,
                     (c.name + " " + c.reason).c_str());
            passed += c.verdict == inspect::Verdict::Pass;
        }
        QVERIFY(passed >= 9); // diameters, pitches and overall sizes have the class; places wait for a typed one
        m_window->findChild<QAction*>("undo")->trigger();
        QCOMPARE(session().recipe().steps.size(), std::size_t(1));
    }
    void aPartWithoutADrawingBecomesOne()
    {
        open();
        session().addTrials({m_set.filePath("unknown-part.png")});
        session().setShowReference(false);
        session().setTrial(int(session().recipe().trials.size()) - 1);
        QVERIFY(settled());
        QTemporaryDir dir;
        within<TraceDialog>(
            [&](TraceDialog& d) {
                auto* table = d.findChild<QTableWidget*>("traceTable");
                QCOMPARE(table->rowCount(), 12 + 2 * 3); // the bracket: 6 lines and 6 arcs, and two circles
                auto* datum = d.findChild<QComboBox*>("traceDatum");
                datum->setCurrentIndex(datum->findText("hole", Qt::MatchStartsWith));
                d.findChild<QPushButton*>("traceRound")->click();
                // The pitch of the holes runs along x now.
                QStringList ys;
                for (int r = 0; r < table->rowCount(); ++r)
                    if (table->item(r, 0)->text().contains("circle y")) ys << table->item(r, 2)->text();
                for (const QString& y : ys) QVERIFY2(std::abs(y.toDouble()) < 1e-6, qPrintable(y));
                QVERIFY(d.save(dir.filePath("bracket.dxf")));
            },
            [&] { m_window->findChild<QAction*>("trace")->trigger(); });
        const auto bytes = base::readFile(dir.filePath("bracket.dxf").toStdString());
        QVERIFY(bytes);
        const auto back = drawing::readDxf(*bytes);
        QVERIFY(back && back->elements.size() == 14);
        auto outline = drawing::Outline::make(*back);
        QVERIFY(outline && outline->loops().size() == 3);
        const double pitch = std::hypot(27, 18);
        QVERIFY(std::abs(geometry::distance(outline->loops()[1].centre, outline->loops()[2].centre) - pitch) < 0.06);
    }
};

QTEST_MAIN(DrawingWindowTest)
#include "drawing_window_test.moc"
