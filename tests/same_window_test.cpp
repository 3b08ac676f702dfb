// Comparison with good samples in the window: faults walked from place to place and decided, places made, moved, saved
// and read, samples taken and dropped, what the evidence shows.
#include "demo/fitted_reeds.h"
#include "desktop/evidence_view.h"
#include "desktop/fault_list.h"
#include "desktop/pair_view.h"
#include "desktop/param_form.h"
#include "desktop/samples_dialog.h"
#include "window_support.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFile>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QToolButton>

using namespace support;
using namespace desktop;
using namespace recipe;
using geometry::Point;

class SameWindowTest : public QObject
{
    Q_OBJECT
    OwnPlace m_place;
    QTemporaryDir m_set;
    std::unique_ptr<MainWindow> m_window;

    Session& session() { return m_window->session(); }
    SheetView* sheet() { return m_window->setupPage()->sheet(); }
    EvidenceView* evidence() { return m_window->setupPage()->evidence(); }
    FaultList* faults() { return m_window->setupPage()->faults(); }
    template <class W> W* child(const char* name) { return m_window->findChild<W*>(QLatin1String(name)); }
    bool settled()
    {
        return waitFor([&] { return session().settled(); }, 120000);
    }
    void trial(int n)
    {
        session().setTrial(n);
        QVERIFY(settled());
    }
    void key(Qt::Key k, Qt::KeyboardModifiers m = Qt::NoModifier) { QTest::keyClick(sheet(), k, m); }

private slots:
    void initTestCase() { QVERIFY(demo::writeFittedReeds(m_set.path().toStdString(), 1, 9, {})); }
    void init()
    {
        m_window = openWindow(m_place.path(QTest::currentTestFunction()));
        QVERIFY(m_window->openRecipe(m_set.filePath("fitted-reeds.dikkat")));
        QVERIFY(settled());
        giveKeys(sheet());
    }
    void cleanup()
    {
        if (m_window) m_window->session().forgetRecovery();
        m_window.reset();
    }
    void theQuestionSameHasItsKinds()
    {
        bool there = false;
        for (auto* b : m_window->findChildren<QToolButton*>()) there = there || (b->isVisible() && b->text() == "Same");
        QVERIFY(there);
    }
    void faultsAreWalkedWorstFirst()
    {
        trial(0);
        QVERIFY(!faults()->isVisible());
        key(Qt::Key_Period);
        QVERIFY(!faults()->isVisible()); // nothing is wrong there
        trial(8);                        // a reed turned
        key(Qt::Key_Period);
        QVERIFY(faults()->isVisible());
        QVERIFY2(faults()->head().startsWith("Faults of trial 9: "), qPrintable(faults()->head()));
        const inspect::Fault f = *faults()->chosen();
        QVERIFY2(QString::fromStdString(f.name).startsWith("turned "), f.name.c_str());
        // Its step and place are chosen, and the evidence is of that place.
        QCOMPARE(session().selected(), std::string("reeds"));
        QCOMPARE(session().selectedElement(), f.element);
        QVERIFY(evidence()->pair()->isVisible());
        QVERIFY2(evidence()->pair()->facts().contains("turn"), qPrintable(evidence()->pair()->facts()));
        key(Qt::Key_Period), key(Qt::Key_Comma);
        QCOMPARE(faults()->chosen()->key(), f.key()); // there and back
        QTest::keyClick(faults()->findChild<QListWidget*>("faults"), Qt::Key_Escape);
        QVERIFY(!faults()->isVisible());
    }
    void aConfirmedFaultLabelsTheTrialBad()
    {
        session().change("open", [](Recipe& r) {
            r.trials[8].label = Label::Open;
            for (Step& s : r.steps) s.inUse = s.id == "plate" || s.id == "reeds"; // one fault alone
        });
        trial(8);
        key(Qt::Key_Period);
        auto* list = faults()->findChild<QListWidget*>("faults");
        giveKeys(list);
        QTest::keyClick(list, Qt::Key_Return);
        QCOMPARE(session().recipe().trials[8].label, Label::Bad);
        QVERIFY2(faults()->head().contains("1 decided"), qPrintable(faults()->head()));
        m_window->findChild<QAction*>("undo")->trigger();
        QCOMPARE(session().recipe().trials[8].label, Label::Open);
        // Overruled, with a reason; without one nothing is said.
        whenDialog<QInputDialog>([](QInputDialog& d) { d.accept(); });
        QTest::keyClick(list, Qt::Key_Return, Qt::ShiftModifier);
        QCOMPARE(session().recipe().trials[8].label, Label::Open);
        whenDialog<QInputDialog>([](QInputDialog& d) {
            d.setTextValue("lies so on purpose");
            d.accept();
        });
        QTest::keyClick(list, Qt::Key_Return, Qt::ShiftModifier);
        QCOMPARE(session().recipe().trials[8].label, Label::Good);
        QVERIFY(list->item(0)->toolTip().contains("overruled: lies so on purpose"));
        // Another trial has decisions of its own.
        trial(5);
        QVERIFY(!faults()->head().contains("decided"));
    }
    void heightsAreChosenAndLeft()
    {
        session().select("reeds");
        QVERIFY(settled());
        auto* form = m_window->findChild<ParamForm*>();
        const auto box = [&] { return form->findChild<QComboBox*>("picture_heights"); };
        const auto openAll = [&] {
            if (auto* all = form->findChild<QToolButton*>("allSettings"); all && all->text().startsWith("all")) {
                all->click();
                QTRY_VERIFY(form->findChild<QToolButton*>("allSettings")->text().startsWith("fewer"));
            }
        };
        QVERIFY(box());
        QCOMPARE(box()->currentText(), QStringLiteral("height"));
        openAll();
        QVERIFY(form->findChild<QWidget*>("may_lift"));
        // Without heights there is nothing to lift by, and none is taken.
        box()->setCurrentIndex(0);
        QTRY_COMPARE(session().recipe().find("reeds")->pictures.count("heights"), std::size_t(0));
        QVERIFY(settled());
        openAll();
        QTRY_VERIFY(!form->findChild<QWidget*>("may_lift"));
        QCOMPARE(session().recipe().picturesNeeded(), (std::set<std::string>{"white", "red"}));
        m_window->findChild<QAction*>("undo")->trigger();
        QTRY_COMPARE(box()->currentText(), QStringLiteral("height"));
        session().select("rivets");
        QTRY_COMPARE(box()->currentText(), QStringLiteral("none"));
    }
    void placesAreMadeMovedAndKept()
    {
        session().setShowReference(true);
        session().select("reeds", "ratios", 9);
        QVERIFY(settled());
        const auto before = session().recipe().find("reeds")->places;
        key(Qt::Key_P, Qt::ShiftModifier);
        auto places = session().recipe().find("reeds")->places;
        QCOMPARE(places.size(), before.size() + 1);
        QCOMPARE(places.back().name, std::string("11"));
        const Point step = before[9].at - before[8].at;
        QVERIFY(geometry::distance(places.back().at, before[9].at + step) < 1e-6);
        QVERIFY(places.back().marked && places.back().outline);
        QVERIFY(geometry::distance(places.back().outline->middle(), places.back().at) < 1);
        QVERIFY(settled());
        // Its square moves it, outline and all; a blue handle its side.
        const double height = places.back().outline->height;
        const QPointF at = sheet()->screenOf(places.back().at);
        drag(sheet(), at, at + QPointF(0, -40));
        places = session().recipe().find("reeds")->places;
        QVERIFY2(places.back().at.y < before[9].at.y - 5, QByteArray::number(places.back().at.y));
        QVERIFY(std::abs(places.back().outline->middle().y - places.back().at.y) < 1e-6);
        QVERIFY(settled());
        const auto& o = *places.back().outline;
        const QPointF side = sheet()->screenOf(o.centre + Point{0, o.height / 2});
        drag(sheet(), side, side + QPointF(0, 20));
        QVERIFY(session().recipe().find("reeds")->places.back().outline->height > height + 3);
        // Into a file and back, for another recipe.
        const QString file = m_place.path("set.json");
        const auto kept = session().recipe().find("reeds")->places;
        QVERIFY(session().savePlaces(file));
        session().select("rivets");
        QVERIFY(session().loadPlaces(file));
        const auto read = session().recipe().find("rivets")->places;
        QCOMPARE(read.size(), kept.size());
        for (std::size_t i = 0; i < kept.size(); ++i) {
            QVERIFY(read[i].name == kept[i].name && read[i].at == kept[i].at && read[i].marked == kept[i].marked);
            QVERIFY(std::abs(read[i].outline->height - kept[i].outline->height) < 1e-9);
        }
        m_window->findChild<QAction*>("undo")->trigger();
        QCOMPARE(session().recipe().find("rivets")->places.size(), std::size_t(10));
        QFile broken(file);
        QVERIFY(broken.open(QIODevice::WriteOnly));
        broken.write("{\"format\": \"dikkat-places\", \"places\": [{\"name\": 3}]}");
        broken.close();
        const auto bad = session().loadPlaces(file);
        QVERIFY(!bad && QString::fromStdString(bad.error().text()).contains("places[0]"));
        QCOMPARE(session().recipe().find("rivets")->places.size(), std::size_t(10));
        // All at once: ends that are not told apart.
        session().select("reeds");
        auto* marked = evidence()->form()->findChild<QCheckBox*>("placesMarked");
        QVERIFY(marked && marked->isChecked());
        marked->click();
        QTRY_VERIFY(!session().recipe().find("reeds")->places.front().marked);
    }
    void samplesAreTakenAndDropped()
    {
        trial(0);
        const std::size_t before = session().recipe().samples.size();
        key(Qt::Key_S, Qt::ShiftModifier);
        QCOMPARE(session().recipe().samples.size(), before + 1);
        QVERIFY(settled());
        QString said;
        const auto hear = connect(&session(), &Session::said, this, [&](const QString& text) { said = text; });
        key(Qt::Key_S, Qt::ShiftModifier); // twice the same tells nothing
        QCOMPARE(session().recipe().samples.size(), before + 1);
        QVERIFY2(said.contains("already"), qPrintable(said));
        m_window->findChild<QAction*>("undo")->trigger();
        session().change("none", [](Recipe& r) { r.samples.clear(); });
        disconnect(hear);
        QVERIFY(settled());
        bool done = false;
        QTimer look;
        connect(&look, &QTimer::timeout, this, [&] {
            auto* d = m_window->findChild<SamplesDialog*>();
            if (!d || !d->isVisible()) return;
            look.stop();
            QVERIFY(d->findChild<QLabel*>("samplesSaid")->text().contains("Shift+S"));
            session().setTrial(0);
            QVERIFY(session().addSample());
            QCOMPARE(d->findChild<QListWidget*>("samples")->count(), 1);
            d->findChild<QListWidget*>("samples")->setCurrentRow(0);
            click(d->findChild<QPushButton*>("dropSample"));
            QCOMPARE(session().recipe().samples.size(), std::size_t(0));
            done = true;
            d->reject();
        });
        look.start(10);
        m_window->findChild<QAction*>("samples")->trigger();
        QVERIFY(done);
    }
    void bareGroundIsShownAtOnePlace()
    {
        session().change("none", [](Recipe& r) { r.samples.clear(); });
        trial(2); // a reed missing
        const auto named = [&] {
            const auto* item = session().currentItem();
            for (const auto& f : inspect::faultsOf(*item))
                if (f.step == "reeds") return QString::fromStdString(f.name);
            return QString();
        };
        QCOMPARE(named(), QStringLiteral("another one"));
        session().select("reeds");
        const auto nowhere = session().addBareGround();
        QVERIFY(!nowhere);
        const auto all = inspect::faultsOf(*session().currentItem());
        for (const auto& f : all)
            if (f.step == "reeds") session().select("reeds", "ratios", f.element);
        click(child<QPushButton>("addBare"));
        QVERIFY(settled());
        QCOMPARE(session().recipe().samples.size(), std::size_t(1));
        QCOMPARE(session().recipe().samples.front().bare.size(), std::size_t(1));
        QCOMPARE(named(), QStringLiteral("missing"));
    }
    void thePairBlinksAndShowsTheDifference()
    {
        trial(8);
        key(Qt::Key_Period);
        auto* pair = evidence()->pair();
        QTest::mousePress(child<QPushButton>("blink"), Qt::LeftButton);
        QVERIFY(pair->blinks());
        const QImage good = pair->grab().toImage();
        QTest::mouseRelease(child<QPushButton>("blink"), Qt::LeftButton);
        QVERIFY(!pair->blinks());
        const QImage here = pair->grab().toImage();
        QVERIFY(good != here);
        click(child<QPushButton>("pairDifference"));
        QVERIFY(pair->showsDifference());
        QVERIFY(pair->grab().toImage() != here);
        session().select("plate");
        (void)evidence()->picturePlot();
        QVERIFY(!pair->isVisible());
    }
};
QTEST_MAIN(SameWindowTest)
#include "same_window_test.moc"
