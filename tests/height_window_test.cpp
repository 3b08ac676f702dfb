// Heights in the window: colours and their scale, the loupe, strokes with their section, the side view's band, the
// turning view, kinds of object and places in the form, and what the steps of a picture mean.
#include "demo/height_sets.h"
#include "desktop/evidence_view.h"
#include "desktop/height_dialog.h"
#include "desktop/param_form.h"
#include "desktop/turning_view.h"
#include "height_pictures.h"
#include "image/decode.h"
#include "kind_gestures.h"
#include "window_support.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>

using namespace support;
using namespace desktop;
using namespace recipe;
using geometry::Point;

class HeightWindowTest : public QObject
{
    Q_OBJECT
    OwnPlace m_place;
    QTemporaryDir m_gaps, m_trays, m_files;
    std::unique_ptr<MainWindow> m_window;

    Session& session() { return m_window->session(); }
    SheetView* sheet() { return m_window->setupPage()->sheet(); }
    EvidenceView* evidence() { return m_window->setupPage()->evidence(); }
    QAction* action(const char* id) { return m_window->setupPage()->action(QString::fromLatin1(id)); }
    bool settled()
    {
        return waitFor([&] { return session().settled(); });
    }
    void open(const QTemporaryDir& dir, const char* name)
    {
        QVERIFY(m_window->openRecipe(dir.filePath(name)));
        QVERIFY(settled());
    }
    // mm along the datum, as the sheet shows it.
    QPointF at(double x, double y, const char* datum)
    {
        const auto motion = inspect::Placing(session().prepared()->recipe(), session().currentItem()).following(datum);
        if (!motion) return {};
        const double k = 1 / session().recipe().mmPerPixel();
        return sheet()->screenOf(motion->motion().now.toPicture({x * k, y * k}));
    }
    template <class T> T* find(const char* name) { return m_window->findChild<T*>(QString::fromLatin1(name)); }

private slots:
    void initTestCase()
    {
        QVERIFY(demo::writeReedGaps(m_gaps.path().toStdString(), 1, 9, {816, 683, 0.156}));
        QVERIFY(demo::writeOrganTrays(m_trays.path().toStdString(), 1, 12, {816, 683, 0.156}));
    }
    void init() { m_window = openWindow(m_place.path(QTest::currentTestFunction())); }
    void cleanup()
    {
        session().forgetRecovery();
        m_window.reset();
    }

    void greyAndHeightLieOnEachOther()
    {
        open(m_gaps, "reed-gap.dikkat");
        session().select({});
        QVERIFY(session().shownPicture().key == "grey"); // nothing chosen: the first
        session().select("tips");
        QVERIFY(session().shownPicture().key == "z"); // what the chosen step reads
        QVERIFY(session().heightRange().has_value());
        action("nextPicture")->trigger();
        QVERIFY(session().shownPicture().key == "grey" && !session().heightRange());
        QTest::keyClick(sheet(), Qt::Key_I);
        QTRY_VERIFY(session().shownPicture().key == "z");
        // A click on its name in the sheet's corner.
        session().select({});
        session().viewPicture("");
        QTest::qWait(30);
        QTest::mouseClick(sheet(), Qt::LeftButton, Qt::NoModifier, QPoint(75, sheet()->height() - 22));
        QTRY_VERIFY(session().shownPicture().key == "z");
    }
    void coloursAreClippedValuesAreNot()
    {
        open(m_trays, "organ-tray.dikkat");
        session().select("places", "heights");
        QVERIFY(settled());
        const auto before = *session().heightRange();
        const auto value = session().currentItem()->check("places", "heights")->values;
        // The right handle of the scale, in the title block, dragged to the left.
        report::SheetScene scene;
        scene.recipe = &session().recipe();
        report::SheetScene::Heights h;
        h.all = {before.low - 5, before.high + 5}, h.shown = before;
        scene.heights = h;
        const auto handles = report::heightHandles(scene, session().pictureName(), QRectF(sheet()->rect()));
        QVERIFY(handles);
        QPointF grip;
        for (double x = handles->bar.right(); x > handles->bar.left() && grip.isNull(); x -= 3) {
            drag(sheet(), {x, handles->bar.center().y()}, {x - 12, handles->bar.center().y()});
            if (*session().heightRange() != before) grip = {x, handles->bar.center().y()};
        }
        QVERIFY(!grip.isNull());
        QVERIFY(session().heightRange()->high < before.high && session().heightRange()->low == before.low);
        QVERIFY(session().currentItem()->check("places", "heights")->values == value);
        session().setHeightRange({});
        QVERIFY(*session().heightRange() == before);
        // What was set for one recipe is not the next one's.
        session().setHeightRange(report::HeightRange{0, 0.1});
        open(m_trays, "organ-tray.dikkat");
        QTRY_VERIFY(session().heightRange().has_value());
        QVERIFY(session().heightRange()->high > 5);
    }
    // The palette is told by lightness alone; a missing point is hatched and no colour of it.
    void thePaletteIsEvenInLightness()
    {
        double last = -1;
        for (int i = 0; i <= 20; ++i) {
            const QColor c(report::heightColour(i / 20.0));
            const double light = 0.2126 * std::pow(c.redF(), 2.2) + 0.7152 * std::pow(c.greenF(), 2.2) +
                                 0.0722 * std::pow(c.blueF(), 2.2);
            const double lightness = 116 * std::cbrt(light) - 16;
            QVERIFY(lightness > last + 2);
            last = lightness;
        }
        const auto p =
            heights::picture(60, 40, [](double x, double y) { return x < 20 ? std::nan("") : 0.01 * x + 0.02 * y; });
        const QImage seen = report::heightImage(p, {0.2, 1.2});
        std::set<QRgb> left;
        for (int y = 0; y < 40; ++y)
            for (int x = 0; x < 20; ++x) left.insert(seen.pixel(x, y));
        QVERIFY(left == (std::set<QRgb>{report::kNoPoint, report::kNoPointLine}));
        QCOMPARE(seen.pixel(21, 0),
                 report::heightColour((0.21 - 0.2) / 1.0 * 255 > 0 ? std::round((0.21 - 0.2) * 255) / 255 : 0));
        QVERIFY(report::heightImage(p, {0.2, 1.2}, true) != seen); // contour lines
        const auto none = heights::picture(9, 9, [](double, double) { return std::nan(""); });
        QVERIFY(!report::usualRange(none) && !report::wholeRange(none));
    }
    void aStrokeShowsItsSectionAndMakesAStep()
    {
        open(m_gaps, "reed-gap.dikkat");
        session().setTrial(0);
        session().select("tips");
        session().select({});
        session().viewPicture("z");
        QVERIFY(settled());
        const QPointF from = at(54.4, 2, "plate"), to = at(54.4, 13, "plate");
        QTest::mousePress(sheet(), Qt::LeftButton, Qt::NoModifier, from.toPoint());
        for (int i = 1; i <= 8; ++i) {
            const QPointF to8 = from + (to - from) * i / 8.0;
            QMouseEvent move(QEvent::MouseMove, to8, sheet()->mapToGlobal(to8), Qt::NoButton, Qt::LeftButton,
                             Qt::NoModifier);
            QApplication::sendEvent(sheet(), &move);
        }
        QTRY_VERIFY(evidence()->picturePlot()->isVisible() && find<QLabel>("plotTitle")->text().contains("section"));
        QTest::mouseRelease(sheet(), Qt::LeftButton, Qt::NoModifier, to.toPoint());
        QVERIFY(session().draft());
        QVERIFY(settled());
        const auto& offers = session().draft()->offers;
        QVERIFY(std::any_of(offers.begin(), offers.end(), [](const auto& o) { return o.words == "height step"; }));
        QVERIFY(std::none_of(offers.begin(), offers.end(), [](const auto& o) { return o.words == "edge pair"; }));
        const std::size_t steps = session().recipe().steps.size();
        QTest::keyClick(sheet(), Qt::Key_Return);
        QCOMPARE(session().recipe().steps.size(), steps + 1);
        const Step made = session().recipe().steps.back();
        QVERIFY(made.kind == "height_step" && made.datum == "plate" && made.inputs.at("base") == "base");
        QVERIFY(settled());
        const auto* check = session().currentItem()->check(made.id, "step");
        QVERIFY(check && !check->values.empty() && check->values[0] > 0.25 && check->values[0] < 0.5);
        action("undo");
        m_window->findChild<QAction*>(QStringLiteral("undo"))->trigger();
        QCOMPARE(session().recipe().steps.size(), steps);
    }
    // Every kind that reads heights, by the hand: its value, taken, and taken back.
    void everyKindByGesture_data()
    {
        QTest::addColumn<int>("row");
        const auto all = gestures::heightMakings();
        for (int i = 0; i < int(all.size()); ++i) QTest::newRow(all[std::size_t(i)].kind) << i;
    }
    void everyKindByGesture()
    {
        QFETCH(int, row);
        const gestures::Making m = gestures::heightMakings()[std::size_t(row)];
        open(m_gaps, "reed-gap.dikkat");
        session().setShowReference(true);
        session().select({});
        session().viewPicture("z");
        QVERIFY(settled());
        const double k = 1 / session().recipe().mmPerPixel();
        const auto& z = session().shownPicture().pixels;
        const auto place = [&](Point p) {
            return sheet()->screenOf({z.width() / 2.0 + p.x * k, z.height() / 2.0 + p.y * k});
        };
        sheet()->setArmedKind(m.kind);
        drag(sheet(), place(m.hand.path.front()), place(m.hand.path.back()),
             m.hand.way == gestures::Hand::Way::Area ? Qt::ControlModifier : Qt::NoModifier);
        QVERIFY2(session().draft(), qPrintable(sheet()->pointerText()));
        QCOMPARE(session().draft()->offer().step.kind, std::string(m.kind));
        QVERIFY(settled());
        const std::size_t steps = session().recipe().steps.size();
        session().takeDraft();
        QCOMPARE(session().recipe().steps.size(), steps + 1);
        QVERIFY(settled());
        const Step made = session().recipe().steps.back();
        const auto* r = session().currentItem()->step(made.id);
        const auto* o = r->output(m.output);
        QVERIFY2(o && !o->values.empty(), r->reason.c_str());
        QVERIFY2(o->values[0] >= m.low && o->values[0] <= m.high, qPrintable(QString::number(o->values[0])));
        QVERIFY(inspect::evidence(*session().prepared(), *session().capture(), *session().currentItem(), made.id));
        m_window->findChild<QAction*>(QStringLiteral("undo"))->trigger();
        QCOMPARE(session().recipe().steps.size(), steps);
    }
    void theBandIsDraggedInTheSideView()
    {
        open(m_gaps, "reed-gap.dikkat");
        session().select("rivets");
        QVERIFY(settled());
        EvidencePlot* plot = evidence()->picturePlot();
        QTRY_VERIFY(plot->handles().size() == 2 && plot->handles()[0].id == "low" && !plot->handles()[0].alongX);
        QTest::qWait(50);
        const QPointF low = plot->handlePoint(0);
        const double before = plot->handles()[0].value;
        drag(plot, low - QPointF(60, 0), low + QPointF(-60, 14));
        QVERIFY(settled());
        const Step* s = session().recipe().find("rivets");
        const double now = std::get<double>(findKind(s->kind)->param("low")->get(s->params));
        QVERIFY2(now < before, qPrintable(QString("%1 %2").arg(now).arg(before)));
    }
    void theTurningViewShowsPlacesByName()
    {
        open(m_trays, "organ-tray.dikkat");
        session().select("places", "heights");
        int bad = -1;
        for (int t = 0; t < session().trialCount() && bad < 0; ++t)
            if (session().recipe().trials[std::size_t(t)].label == Label::Bad) bad = t;
        session().setTrial(bad);
        QVERIFY(settled());
        action("turningView")->trigger();
        TurningWidget* view = evidence()->turning();
        QTRY_VERIFY(view->isVisible());
        const auto* check = session().currentItem()->check("places", "heights");
        const auto& element = check->elements[std::size_t(check->failed()[0] - 1)];
        QTRY_VERIFY(view->labels().filter(QString::fromStdString(element.name) + " too").size() == 1);
        QVERIFY(view->labels().size() >= 12);
        const auto home = view->view();
        const QImage before = view->grab().toImage();
        drag(view, {200, 150}, {260, 190});
        QVERIFY(view->view().turn != home.turn && view->view().rise != home.rise && view->grab().toImage() != before);
        QTest::keyClick(view, Qt::Key_Home);
        QVERIFY(view->view() == home);
        QTest::keyClick(view, Qt::Key_Plus);
        QVERIFY(view->view().zoom > home.zoom);
        QTest::mouseDClick(view, Qt::LeftButton, Qt::NoModifier, {100, 100});
        QVERIFY(view->view() == home);
        action("turningView")->trigger();
        QVERIFY(!view->isVisible() && evidence()->picturePlot()->isVisible());
    }
    void kindsAndPlacesInTheForm()
    {
        open(m_trays, "organ-tray.dikkat");
        session().select("kinds");
        QVERIFY(settled());
        ParamForm* form = evidence()->form();
        auto* name = form->findChild<QLineEdit*>("kindName0");
        QVERIFY(name && name->text() == "organ");
        auto* height = form->findChild<QLineEdit*>("kindHeight0");
        QCOMPARE(height->text(), QString("8 .. 10"));
        height->setText("8.5 .. 9.5");
        emit height->editingFinished();
        QVERIFY(session().recipe().find("kinds")->kinds[0].low == 8.5 &&
                session().recipe().find("kinds")->kinds[0].high == 9.5);
        QTRY_VERIFY(form->findChild<QPushButton*>("addKind"));
        form->findChild<QPushButton*>("addKind")->click();
        QTRY_COMPARE(session().recipe().find("kinds")->kinds.size(), std::size_t(5));
        m_window->findChild<QAction*>(QStringLiteral("undo"))->trigger();
        QCOMPARE(session().recipe().find("kinds")->kinds.size(), std::size_t(4));
        // Rows and columns become places that can be moved one by one, and one more.
        session().select("places");
        QVERIFY(settled());
        session().placesFromObjects();
        QCOMPARE(session().recipe().find("places")->places.size(), std::size_t(12));
        QVERIFY(settled());
        QCOMPARE(session().currentItem()->check("places", "heights")->elements.size(), std::size_t(12));
        QTRY_VERIFY(evidence()->form()->findChild<QPushButton*>("addPlace"));
        evidence()->form()->findChild<QPushButton*>("addPlace")->click();
        QTRY_COMPARE(session().recipe().find("places")->places.size(), std::size_t(13));
    }
    void aPictureIsToldWhatItsStepsMean()
    {
        const auto p = heights::picture(120, 80, [](double x, double y) { return x > 60 ? 0.5 : 0.001 * y; },
                                        {0.002, 0.1, false, 0.001, -1, 0.1, 2});
        const QString file = m_files.filePath("deep.png");
        (void)base::realFiles().write(file.toStdString(), *image::encodePng(p.pixels));
        clickMenu(*m_window, "Recipe", "new");
        QVERIFY(settled());
        m_window->addPictures({file});
        QVERIFY(settled());
        QVERIFY(session().shownPicture().content == image::Content::Grey);
        QVERIFY(session().takeReference());
        QVERIFY(settled());
        QApplication::setActiveWindow(m_window.get());
        whenDialog<HeightDialog>([](HeightDialog& d) {
            d.findChild<QComboBox*>("heightHolds")->setCurrentIndex(1);
            const auto type = [&](const char* name, const char* text) {
                auto* e = d.findChild<QLineEdit*>(name);
                e->clear();
                QTest::keyClicks(e, text);
            };
            type("heightStep", "nonsense");
            QVERIFY(d.findChild<QLabel*>("heightSays")->text().contains("no number"));
            type("heightStep", "0,001");
            type("heightOffset", "-1");
            type("heightPixel", "0.1");
            type("heightMissing", "0");
            QVERIFY2(d.findChild<QLabel*>("heightSays")->text().contains("covered 9"),
                     qPrintable(d.findChild<QLabel*>("heightSays")->text()));
            d.accept();
        });
        clickMenu(*m_window, "Edit", "heights");
        QTRY_VERIFY(session().recipe().pictures.size() == 1);
        QVERIFY(settled());
        QVERIFY(session().shownPicture().content == image::Content::Height);
        QVERIFY(std::abs(session().recipe().mmPerPixel() - 0.1) < 1e-12 && !session().recipe().reference.empty());
        QVERIFY(session().recipe().reference.capture->first().content == image::Content::Height);
        m_window->findChild<QAction*>(QStringLiteral("undo"))->trigger();
        QVERIFY(settled());
        QVERIFY(session().recipe().pictures.empty() && session().shownPicture().content == image::Content::Grey);
    }
    void aPointCloudAsksForItsPitch()
    {
        std::string text;
        for (int y = 0; y < 30; ++y)
            for (int x = 0; x < 40; ++x)
                text += std::to_string(0.25 * x) + " " + std::to_string(-0.25 * y) + " " +
                        std::to_string(x > 20 ? 2 : 1) + "\n";
        const QString file = m_files.filePath("cloud.xyz");
        (void)base::realFiles().write(file.toStdString(), text);
        clickMenu(*m_window, "Recipe", "new");
        QVERIFY(settled());
        QApplication::setActiveWindow(m_window.get());
        whenDialog<HeightDialog>([](HeightDialog& d) {
            QCOMPARE(d.findChild<QLineEdit*>("heightPixel")->text(), QString("0.25")); // as far apart as the points lie
            d.accept();
        });
        m_window->addPictures({file});
        QTRY_VERIFY(session().recipe().pictures.size() == 1);
        QVERIFY(settled());
        QVERIFY(session().shownPicture().content == image::Content::Height);
        QCOMPARE(session().shownPicture().pixels.width(), 40);
        QVERIFY(session().shownPicture().heights().mm(30, 10) == 2);
    }
};
QTEST_MAIN(HeightWindowTest)
#include "height_window_test.moc"
