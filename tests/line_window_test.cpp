// The line as persons meet it: a locked window gives nothing away, PINs open it by role, limits move within their bounds
// and verdicts are overruled with a name; the screen is made from the recipe, and faults of the world come and go.
#include "demo/conveyor.h"
#include "demo/small_sets.h"
#include "desktop/camera_dialog.h"
#include "desktop/keys.h"
#include "desktop/records/records_page.h"
#include "desktop/run/line_dialogs.h"
#include "desktop/screen_dialog.h"
#include "desktop/sign_in_dialog.h"
#include "recipe/recipe_file.h"
#include "window_support.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QDropEvent>
#include <QInputDialog>
#include <QLineEdit>
#include <QMimeData>
#include <QSpinBox>
#include <QTableWidget>
#include <QToolButton>
#include <nlohmann/json.hpp>

using namespace desktop;
using namespace support;

class LineWindowTest : public QObject
{
    Q_OBJECT
    OwnPlace m_place;
    QTemporaryDir m_set;
    QString m_recipe;
    std::unique_ptr<MainWindow> m_window;
    int m_windows = 0;

    RunPage* run() const { return m_window->runPage(); }
    Session& session() const { return m_window->session(); }
    template <class W> W* child(const char* name) const { return m_window->findChild<W*>(QLatin1String(name)); }
    VerdictBand* band() const { return child<VerdictBand>("verdictBand"); }
    void take(int n = 1)
    {
        for (int i = 0; i < n; ++i) {
            const auto before = run()->itemCount();
            run()->takeOne();
            QVERIFY(waitFor([&] { return run()->itemCount() > before; }, 20000));
        }
    }
    void takeUntil(const QString& word)
    {
        for (int i = 0; i < 30; ++i) {
            take();
            if (band()->word() == word) return;
        }
        QFAIL("no such verdict");
    }
    void openOn(const QString& data)
    {
        m_window.reset();
        m_window = openWindow(data);
        QVERIFY(m_window->openRecipe(m_recipe));
        QVERIFY(waitFor([&] { return session().settled(); }));
    }
    void hire()
    {
        auto& who = m_window->who();
        const auto ok = who.change("person added", "Ana", [](people::People& p) {
            (void)p.add("Ana", people::Role::Administrator, "1111");
            (void)p.add("Eva", people::Role::Engineer, "2222");
            return p.add("Otto", people::Role::Operator, "3333");
        });
        QVERIFY(ok);
    }
    void signIn(const char* name, const char* pin)
    {
        QVERIFY2(m_window->who().signIn(QLatin1String(name), QLatin1String(pin)), name);
    }
    std::vector<records::EventRow> events(const char* what) const
    {
        QTest::qWait(150); // written by the line's own thread
        auto all = *(*records::RecordLog::open(run()->logPath()))->events();
        std::erase_if(all, [&](const auto& e) { return e.what != QLatin1String(what); });
        return all;
    }
    // All that an engineer has: what is edited, what runs, where it stands, what is kept.
    QByteArray engineersThings() const
    {
        QByteArray out = QByteArray::fromStdString(recipe::toJson(session().recipe(), "/").dump());
        out += session().path().toUtf8() + QByteArray::number(int(session().canRedo()));
        out += run()->released() ? QByteArray::fromStdString(run()->released()->identity) : QByteArray("none");
        out += QByteArray::number(child<QComboBox>("keepPictures")->currentIndex());
        out += QByteArray::number(child<QComboBox>("source")->currentIndex());
        out += child<QLineEdit>("batch")->text().toUtf8();
        out += QByteArray::number(int(report::theme().dark)) + QByteArray::number(int(m_window->acceptDrops()));
        for (const auto& p : m_window->who().people().persons()) out += QByteArray::fromStdString(p.name + p.hash);
        return out;
    }

private slots:
    void initTestCase()
    {
        QVERIFY(demo::writeReedPlates(m_set.path().toStdString(), 5, 6, smallField()));
        m_recipe = m_set.filePath("reed-plate.dikkat");
    }
    void init()
    {
        QSettings().clear();
        openOn(m_place.path(QString("data%1").arg(++m_windows)));
        QVERIFY(run()->release("A. Person"));
        m_window->showWorkspace(1);
    }
    void cleanupTestCase() { m_window.reset(); }

    void lockedWindowGivesNothingAway()
    {
        session().setLimits("width", "distance", *recipe::parseLimits("20 .. 21", base::Unit::Millimetre), false);
        hire();
        take(2);
        m_window->who().signOut();
        QCOMPARE(m_window->workspace(), 1);
        const QByteArray before = engineersThings();
        QStringList met; // dialogs that came up
        QTimer closer;
        connect(&closer, &QTimer::timeout, this, [&] {
            if (auto* d = qobject_cast<QDialog*>(QApplication::activeModalWidget()))
                met << d->objectName(), d->reject();
            if (QWidget* p = QApplication::activePopupWidget()) p->close();
        });
        closer.start(10);
        const auto unchanged = [&](const QString& by) {
            QTest::qWait(15);
            QVERIFY2(m_window->workspace() != 0, qPrintable(by));
            QVERIFY2(engineersThings() == before, qPrintable(by));
            for (QWidget* w : QApplication::topLevelWidgets())
                if (auto* d = qobject_cast<QDialog*>(w); d && d->isVisible()) {
                    QVERIFY2(d->objectName() == "signInDialog" || d->objectName() == "guideDialog",
                             qPrintable(by + " opens " + d->objectName()));
                    d->close();
                    m_window->activateWindow();
                }
        };
        // Every key there is, wherever the keyboard stands.
        for (QWidget* at : {static_cast<QWidget*>(run()), static_cast<QWidget*>(child<QPushButton>("startButton"))}) {
            for (const Key& k : keyTable()) {
                const QKeySequence keys(QLatin1String(k.keys));
                if (keys.isEmpty() || QLatin1String(k.id) == QLatin1String("quit")) continue;
                if (!at->isEnabled()) run()->stop();
                QVERIFY(waitFor([&] { return at->isEnabled(); }));
                giveKeys(at);
                QTest::keySequence(at, keys);
                unchanged(QStringLiteral("key ") + keys.toString());
                m_window->showWorkspace(1);
            }
            for (const Qt::KeyboardModifiers with :
                 {Qt::NoModifier, Qt::ShiftModifier, Qt::ControlModifier, Qt::AltModifier})
                for (const auto& [first, last] : {std::pair{Qt::Key_Space, Qt::Key_Space},
                                                  {Qt::Key_0, Qt::Key_9},
                                                  {Qt::Key_A, Qt::Key_P},
                                                  {Qt::Key_R, Qt::Key_Z}, // not Ctrl+Q: it ends all
                                                  {Qt::Key_Escape, Qt::Key_Delete},
                                                  {Qt::Key_Home, Qt::Key_PageDown},
                                                  {Qt::Key_F1, Qt::Key_F12}})
                    for (int key = first; key <= last; ++key) {
                        if (!at->isEnabled()) run()->stop();
                        QVERIFY(waitFor([&] { return at->isEnabled(); }));
                        giveKeys(at);
                        QTest::keyClick(at, Qt::Key(key), with);
                        unchanged(QStringLiteral("key %1 with %2").arg(key, 0, 16).arg(int(with), 0, 16));
                        m_window->showWorkspace(1);
                        if (QTest::currentTestFailed()) return;
                    }
            run()->stop();
        }
        // Every menu that is there and every action that is switched on.
        for (QAction* a : m_window->findChildren<QAction*>()) {
            if (a->objectName() == "quit" || !a->isEnabled() || a->menu() || a->objectName().isEmpty()) continue;
            const QSet<QString> open{"runPage",    "records",        "start",       "takeOne",    "stop",
                                     "signIn",     "wholeScreen",    "guide",       "guidePages", "wordBack",
                                     "nextReject", "previousReject", "pictureLarge"}; // looking at records
            QVERIFY2(open.contains(a->objectName()), qPrintable(a->objectName()));
        }
        QList<QPointer<QAction>> acts;
        for (QAction* a : m_window->findChildren<QAction*>()) acts << a;
        for (const auto& a : acts) {
            if (!a || a->objectName() == "quit") continue;
            const QString name = a->objectName();
            a->trigger();
            unchanged("action " + name);
        }
        run()->stop();
        for (QAction* m : m_window->findChild<QMenuBar*>()->actions())
            QVERIFY2(!m->isVisible() || m->text().remove('&') == "Run" || m->text().remove('&') == "Help",
                     qPrintable(m->text()));
        m_window->showWorkspace(1);
        if (run()->fullScreen()) emit run()->fullScreenWanted(false);
        // Every button, box and field that is seen, by mouse and wheel.
        QList<QPointer<QWidget>> seen; // some go while others are clicked
        for (QWidget* w : m_window->findChildren<QWidget*>()) seen << w;
        for (const auto& w : seen) {
            if (!w || !w->isVisible() || qobject_cast<QMenu*>(w.data())) continue;
            const QPoint at = w->rect().center();
            const QString name = QStringLiteral("mouse on %1 %2").arg(w->metaObject()->className(), w->objectName());
            QTest::mouseClick(w, Qt::LeftButton, Qt::NoModifier, at);
            if (w) QTest::mouseDClick(w, Qt::LeftButton, Qt::NoModifier, at);
            if (w) QTest::mouseClick(w, Qt::RightButton, Qt::NoModifier, at);
            if (w) {
                QWheelEvent wheel(at, w->mapToGlobal(at), {}, {0, 120}, Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase,
                                  false);
                QApplication::sendEvent(w, &wheel);
            }
            if (w) QTest::keyClicks(w, "x7");
            unchanged(name);
            m_window->showWorkspace(1);
        }
        run()->stop();
        if (run()->fullScreen()) emit run()->fullScreenWanted(false);
        // Recipes, pictures and folders dropped anywhere, and as words of the command line.
        QMimeData files;
        const QString picture = m_set.filePath("plate-001.png");
        for (const QString& path : {m_recipe, picture, m_set.path()}) {
            files.setUrls({QUrl::fromLocalFile(path)});
            QList<QPointer<QWidget>> targets{m_window.get()};
            for (QWidget* w : m_window->findChildren<QWidget*>()) targets << w;
            for (const auto& w : targets) {
                if (!w || !w->isVisible()) continue;
                QDropEvent drop(QPointF(5, 5), Qt::CopyAction, &files, Qt::LeftButton, Qt::NoModifier);
                QApplication::sendEvent(w, &drop);
            }
            unchanged("drop of " + path);
            m_window->addPictures({path});
            unchanged("word " + path);
            QVERIFY(!m_window->openRecipe(path));
            unchanged("recipe " + path);
        }
        QVERIFY(!run()->moveLimit({}, 1));
        QVERIFY(!run()->overrule(inspect::Outcome::Accept, "because"));
        QVERIFY(met.contains("signInDialog"));
        QCOMPARE(QSet<QString>(met.begin(), met.end()) - QSet<QString>{"signInDialog"}, QSet<QString>());
        // What the engineer had not saved is there when he is back.
        signIn("Eva", "2222");
        QVERIFY(session().modified() && session().canUndo());
        m_window->showWorkspace(0);
        QCOMPARE(m_window->workspace(), 0);
        QVERIFY(child<QAction>("undo")->isEnabled());
        QVERIFY(!child<QAction>("people")->isEnabled());
    }

    void pinsOpenByRole()
    {
        hire();
        m_window->who().signOut();
        const auto byFingers = [&](const QString& name, const QString& pin, bool right) {
            whenDialog<SignInDialog>([=](SignInDialog& d) {
                d.findChild<QComboBox*>("signInName")->setCurrentText(name);
                for (const QChar c : pin) click(d.findChild<QPushButton*>(QStringLiteral("pin_") + c));
                click(d.findChild<QPushButton*>("signInGo"));
                if (right) return;
                QVERIFY(waitFor([&] { return d.findChild<QLabel*>("signInState")->text().contains("wrong"); }));
                QVERIFY(d.findChild<QLineEdit*>("signInPin")->text().isEmpty());
                d.reject();
            });
            giveKeys(run());
            QTest::keyClick(m_window.get(), Qt::Key_F9);
        };
        byFingers("Otto", "4444", false);
        QCOMPARE(m_window->who().role(), people::Role::Nobody);
        byFingers("Otto", "3333", true);
        QTRY_COMPARE(m_window->who().role(), people::Role::Operator);
        QVERIFY(child<QLineEdit>("batch")->isEnabled() && !child<QComboBox>("keepPictures")->isEnabled());
        m_window->showWorkspace(0);
        QCOMPARE(m_window->workspace(), 1);
        giveKeys(child<QLineEdit>("batch"));
        QTest::keyClicks(child<QLineEdit>("batch"), "B-77");
        QTest::keyClick(child<QLineEdit>("batch"), Qt::Key_Return);
        take();
        giveKeys(run());
        QTest::keyClick(m_window.get(), Qt::Key_F9); // out
        QCOMPARE(m_window->who().role(), people::Role::Nobody);
        byFingers("Ana", "1111", true);
        QTRY_COMPARE(m_window->who().role(), people::Role::Administrator);
        QVERIFY(child<QAction>("people")->isEnabled());
        const auto log = records::RecordLog::open(run()->logPath());
        QCOMPARE((*log)->items({})->front().batch, QString("B-77"));
        const auto ins = events("sign in");
        QVERIFY(ins.size() == 2 && ins[0].subject == "Otto" && ins[0].by == "Otto" && ins[1].subject == "Ana");
        QCOMPARE(events("sign in refused").size(), std::size_t(1));
        QCOMPARE((*log)->items({})->front().station, QString());
        whenDialog<QInputDialog>([](QInputDialog& d) {
            d.setTextValue("left cell");
            d.accept();
        });
        clickMenu(*m_window, "Run", "stationName");
        QVERIFY(events("station").size() == 1 && events("station")[0].after == "left cell");
        take();
        QCOMPARE((*log)->items({})->front().station, QString("left cell"));
        QVERIFY(events("batch").size() == 1 && events("batch")[0].after == "B-77" && events("batch")[0].by == "Otto");
        // Who signed in is who releases.
        whenDialog<QDialog>([&](QDialog& d) {
            QVERIFY(d.findChild<QLineEdit*>("releaseBy")->isReadOnly());
            QCOMPARE(d.findChild<QLineEdit*>("releaseBy")->text(), QString("Ana"));
            click(d.findChild<QPushButton*>("releaseGo"));
        });
        giveKeys(run());
        QTest::keyClick(m_window.get(), Qt::Key_R, Qt::ControlModifier | Qt::ShiftModifier);
        QTRY_COMPARE(run()->released()->by, std::string("Ana"));
    }

    void peopleAreAddedInTheWindowAndAWindowOpensLocked()
    {
        whenDialog<PeopleDialog>([&](PeopleDialog& d) {
            const auto add = [&](const char* name, int role, const char* pin) {
                d.findChild<QLineEdit*>("personName")->setText(name);
                d.findChild<QComboBox*>("personRole")->setCurrentIndex(role);
                d.findChild<QLineEdit*>("personPin")->setText(pin);
                click(d.findChild<QPushButton*>("addPerson"));
            };
            auto* table = d.findChild<QTableWidget*>("peopleTable");
            add("Otto", 0, "3333"); // the first one has to be an administrator
            QVERIFY(waitFor([&] { return !d.findChild<QLabel*>("peopleState")->text().isEmpty(); }));
            QCOMPARE(table->rowCount(), 0);
            add("Ana", 2, "1111");
            QVERIFY(waitFor([&] { return table->rowCount() == 1; }));
            add("Otto", 0, "3333");
            QVERIFY(waitFor([&] { return table->rowCount() == 2; }));
            table->selectRow(0);
            click(d.findChild<QPushButton*>("removePerson")); // the last administrator stays
            QVERIFY(waitFor([&] { return d.findChild<QLabel*>("peopleState")->text().contains("administrator"); }));
            QCOMPARE(table->rowCount(), 2);
            d.reject();
        });
        clickMenu(*m_window, "Run", "people");
        QTRY_VERIFY(m_window->who().needed());
        QCOMPARE(m_window->who().name(), QString("Ana"));
        QVERIFY(events("person added").size() == 2 && events("person added")[0].by == "Ana");
        const QString data = m_place.path(QString("data%1").arg(m_windows));
        m_window.reset();
        m_window = openWindow(data);
        QCOMPARE(m_window->workspace(), 1);
        m_window->addPictures({m_recipe}); // as the command line does
        QVERIFY(session().recipe().steps.empty());
        take(); // what was released runs on
        QCOMPARE(run()->itemCount(), 1LL);
    }

    void signOutByTimeClosesWhatIsOpen()
    {
        hire();
        QDialog left(m_window.get());
        left.show();
        m_window->who().signOut("no hand");
        QVERIFY(!left.isVisible());
        SignedIn who(m_place.path("alone.json"), nullptr, 120); // a minute of 120 ms
        QVERIFY(who.change("person added", "Ana", [](people::People& p) {
            (void)p.add("Ana", people::Role::Administrator, "1111");
            return p.setSignOutMinutes(4);
        }));
        QVERIFY(who.role() == people::Role::Administrator);
        QElapsedTimer clock;
        clock.start();
        while (clock.elapsed() < 700) { // a hand on the window now and then
            QTest::mouseMove(m_window.get(), QPoint(10 + int(clock.elapsed()) % 50, 20));
            QTest::qWait(40);
        }
        QVERIFY(who.role() == people::Role::Administrator);
        QTRY_COMPARE_WITH_TIMEOUT(who.role(), people::Role::Nobody, 3000);
        QVERIFY(who.signIn("Ana", "1111") && who.role() == people::Role::Administrator);
        QVERIFY(base::realFiles().write(m_place.path("bad.json").toStdString(), "{"));
        SignedIn broken(m_place.path("bad.json"));
        QVERIFY(broken.needed() && broken.role() == people::Role::Nobody && !broken.signIn("Ana", "1111"));
    }

    void limitsMoveWithinTheirBoundsFromTheNextItemOn()
    {
        whenDialog<ScreenDialog>([](ScreenDialog& d) {
            auto* table = d.findChild<QTableWidget*>("screenValues");
            int row = 0;
            while (!table->item(row, 1)->text().contains("Width")) ++row;
            table->item(row, 4)->setText("26.5 .. 27"); // not about the limit
            QVERIFY(d.findChild<QLabel*>("screenState")->text().contains("lies outside"));
            table->item(row, 3)->setText("20 .. 25.96");
            table->item(row, 4)->setText("26.03 .. 26.5");
            d.accept();
        });
        m_window->showWorkspace(0);
        QTest::keyClick(m_window.get(), Qt::Key_E, Qt::ControlModifier | Qt::ShiftModifier);
        QTRY_COMPARE(session().recipe().find("width")->checks[0].highMay, std::optional(recipe::Span{26.03, 26.5}));
        QVERIFY(run()->release("A. Person"));
        m_window->showWorkspace(1);
        const std::string before = run()->released()->identity;
        hire();
        m_window->who().signOut();
        signIn("Otto", "3333");
        QCOMPARE(run()->movable().size(), std::size_t(2));
        QVERIFY(!run()->moveLimit(run()->movable()[1], 26.51));
        QVERIFY(!run()->moveLimit(run()->movable()[1], 26.02));
        QCOMPARE(run()->released()->identity, before);
        take();
        whenDialog<LimitsDialog>([&](LimitsDialog& d) {
            d.findChild<QDoubleSpinBox*>("limit_0")->setValue(20.5);
            d.findChild<QDoubleSpinBox*>("limit_1")->setValue(26.25);
            click(d.findChild<QPushButton*>("limitsGo"));
        });
        QTest::keyClick(run(), Qt::Key_L);
        QTRY_VERIFY(run()->released()->identity != before);
        QCOMPARE(run()->released()->by, std::string("A. Person"));
        take();
        const auto log = records::RecordLog::open(run()->logPath());
        const auto items = *(*log)->items({});
        const auto limitsOf = [&](const records::ItemRow& i) {
            const auto values = (*log)->values(i.id).value();
            for (const auto& v : values)
                if (v.step == "width") return std::pair(*v.low, *v.high);
            return std::pair(0.0, 0.0);
        };
        QVERIFY(std::abs(limitsOf(items[0]).first - 20.5) < 1e-9 && std::abs(limitsOf(items[0]).second - 26.25) < 1e-9);
        QVERIFY(std::abs(limitsOf(items[1]).second - 26.05) < 1e-9); // of before
        QVERIFY(items[0].identity != items[1].identity);
        const auto moved = events("limit");
        QCOMPARE(moved.size(), std::size_t(2));
        QVERIFY2(moved[1].by == "Otto" && moved[1].before == "26.05 mm" && moved[1].after == "26.25 mm" &&
                     moved[1].subject.contains("Width"),
                 qPrintable(moved[1].by + moved[1].before + moved[1].after));
        // The recipe the engineer edits has its own; what differs is said to him.
        QVERIFY(session().recipe().find("width")->checks[0].limits.text() == "26 ±0.05");
        QVERIFY(!run()->differences().isEmpty());
        // A window opened later runs with the moved limits.
        const std::string now = run()->released()->identity;
        const QString data = m_place.path(QString("data%1").arg(m_windows));
        m_window.reset();
        m_window = openWindow(data);
        QCOMPARE(run()->released()->identity, now);
        QCOMPARE(run()->released()->by, std::string("A. Person"));
    }

    void overruledVerdictsKeepBoth()
    {
        hire();
        m_window->who().signOut();
        signIn("Otto", "3333");
        takeUntil("REJECT");
        whenDialog<OverruleDialog>([](OverruleDialog& d) {
            QVERIFY(!d.findChild<QPushButton*>("overruleGo")->isEnabled()); // a reason is needed
            QTest::keyClicks(d.findChild<QLineEdit*>("overruleWhy"), "dirt, wiped off");
            click(d.findChild<QPushButton*>("overruleGo"));
        });
        click(child<QPushButton>("overruleButton"));
        QTRY_VERIFY(child<QLabel>("countsText")->text().contains("1 overruled"));
        QCOMPARE(band()->word(), QString("REJECT"));
        const auto log = records::RecordLog::open(run()->logPath());
        const auto row = (*log)->items({})->front();
        QVERIFY(row.verdict == "reject" && row.overruled == "accept" && row.overruledBy == "Otto" &&
                row.overruledWhy == "dirt, wiped off");
        const auto said = events("overrule");
        QVERIFY(said.size() == 1 && said[0].by == "Otto" && said[0].before == "reject" && said[0].after == "accept");
        QVERIFY(!(*log)->overrule(99999, "accept", "Otto", "none"));
        m_window->showWorkspace(2);
        m_window->recordsPage()->wait();
        QCOMPARE(m_window->recordsPage()->item()->row.verdict, QString("reject"));
        QVERIFY(child<RecordSheet>("recordSheet")->titleBlock().contains("overruled: accept, Otto"));
        // Another one says otherwise: all of it stays, the last one counts.
        QVERIFY((*log)->overrule(row.id, "reject", "Eva", "it is a burr"));
        QVERIFY((*log)->items({})->front().overruled == "reject" && events("overrule").size() == 2);
    }

    void faultsAreDecidedOneByOne()
    {
        hire();
        m_window->who().signOut();
        signIn("Otto", "3333");
        takeUntil("REJECT");
        m_window->showWorkspace(1);
        giveKeys(run());
        QTest::keyClick(run(), Qt::Key_Period);
        FaultList* faults = run()->faults();
        QVERIFY(faults->isVisible() && faults->chosen());
        const QString name = QString::fromStdString(faults->chosen()->name);
        QVERIFY(child<RunSheet>("runSheet")->pointed().has_value() == true);
        click(faults->findChild<QPushButton*>("confirmFault"));
        auto said = events("fault confirmed");
        QVERIFY(said.size() == 1 && said[0].by == "Otto" && said[0].subject.contains(name) &&
                said[0].subject.contains("item "));
        QVERIFY(faults->head().contains("1 decided"));
        whenDialog<QInputDialog>([](QInputDialog& d) {
            d.setTextValue("glare");
            d.accept();
        });
        click(faults->findChild<QPushButton*>("overruleFault"));
        said = events("fault overruled");
        QVERIFY(said.size() == 1 && said[0].after == "glare");
        // The recipe's verdict stays; without a reason or a person nothing is said.
        QCOMPARE(band()->word(), QString("REJECT"));
        QVERIFY(!run()->decideFault(*faults->chosen(), false, " "));
        m_window->who().signOut();
        QVERIFY(!run()->decideFault(*faults->chosen(), true, ""));
    }

    void screenIsMadeFromTheRecipe()
    {
        take();
        auto* ladder = child<LadderView>("ladder");
        const QStringList all = ladder->shownNames();
        QVERIFY(all.size() == 8 && child<RunSheet>("runSheet")->grab().width() > 0 &&
                child<RunSheet>("runSheet")->showsLabels());
        session().change("screen", [](recipe::Recipe& r) {
            r.find("pitch")->checks[0].onScreen = true;
            r.find("slots")->checks[0].onScreen = true;
            r.screen.turn = 90;
            r.screen.marks = recipe::Screen::Marks::None;
            r.screen.cycle = r.screen.rejects = false;
        });
        take();
        QCOMPARE(ladder->shownNames(), all); // edits do not reach the line
        QVERIFY(run()->release("A. Person"));
        takeUntil("ACCEPT");
        QVERIFY2(ladder->shownNames().size() >= 2 && ladder->shownNames().size() < 8,
                 qPrintable(ladder->shownNames().join(',')));
        QVERIFY(ladder->shownNames().contains("Slots") && ladder->othersText().contains("others pass"));
        QVERIFY(!child<CyclePlot>("cyclePlot")->isVisible() && !child<RejectStrip>("lastRejects")->isVisible());
        auto* sheet = child<RunSheet>("runSheet");
        sheet->grab();
        QVERIFY(!sheet->showsLabels());
        QVERIFY(std::abs(sheet->turn() + geometry::kPi / 2) < 1e-9);
        // The same part, a quarter turn clockwise: what was above is at the right.
        const auto up = sheet->screenOf({100, 0}), down = sheet->screenOf({100, 100});
        QVERIFY(up.x() > down.x() + 5 && std::abs(up.y() - down.y()) < 1e-6);
        // A deleted step takes its tick along: nothing goes stale.
        session().select("pitch");
        session().change(
            "delete", [](recipe::Recipe& r) { std::erase_if(r.steps, [](const auto& s) { return s.id == "pitch"; }); });
        QVERIFY(run()->release("A. Person"));
        takeUntil("ACCEPT");
        QVERIFY(!ladder->shownNames().join(' ').contains("pitch", Qt::CaseInsensitive));
    }

    void lastRejectsArePinnedByAClick()
    {
        auto* strip = child<RejectStrip>("lastRejects");
        takeUntil("REJECT");
        const QString fault = band()->sentence();
        takeUntil("ACCEPT");
        QVERIFY(strip->count() >= 1 && strip->cellAt(0).isValid());
        run()->start();
        click(strip, strip->cellAt(0).center());
        QCOMPARE(band()->word(), QString("REJECT"));
        QCOMPARE(band()->sentence(), fault);
        const auto before = run()->itemCount();
        QVERIFY(waitFor([&] { return run()->itemCount() >= before + 2; }));
        QCOMPARE(band()->sentence(), fault); // stays while others come
        run()->stop();
        QVERIFY(waitFor([&] { return !run()->running(); }));
        m_window->grab();
        QTest::keyClick(run(), Qt::Key_Escape);
        QVERIFY(band()->sentence() != fault || band()->word() == "REJECT");
        const auto items = child<QLabel>("countsText")->text();
        QVERIFY(items.contains("accepted"));
        click(child<QPushButton>("countAnew"));
        QVERIFY(child<QLabel>("countsText")->text().startsWith("0 items"));
        QCOMPARE(strip->count(), 0);
        QCOMPARE(events("count anew").size(), std::size_t(1));
        QVERIFY(events("count anew")[0].before.contains("accepted"));
        QTest::keyClick(run(), Qt::Key_Left);
        QTest::keyClick(run(), Qt::Key_Right);
    }

    void severalItemsStandSideBySide()
    {
        const QTemporaryDir set;
        QVERIFY(demo::writeSmallPlates(set.path().toStdString(), 1, 8, smallField()));
        QVERIFY(m_window->openRecipe(QDir(set.path()).entryInfoList({"*.dikkat"}).front().filePath()));
        QVERIFY(run()->release("A. Person"));
        m_window->showWorkspace(1);
        auto* source = child<QComboBox>("source");
        source->setCurrentIndex(1);
        emit source->activated(1);
        int most = 0;
        for (int i = 0; i < 8; ++i) {
            take();
            const auto log = records::RecordLog::open(run()->logPath());
            const auto last = (*log)->items({})->front();
            QCOMPARE(band()->parts(), std::min(last.item, VerdictBand::kMostParts));
            most = std::max(most, last.item);
        }
        QVERIFY(most >= 3);
        m_window->grab();
        // Back, forth, and to a number.
        auto* at = child<QSpinBox>("pictureNumber");
        QCOMPARE(at->value(), 8);
        const auto pictureOf = [&] {
            const auto log = records::RecordLog::open(run()->logPath());
            return QFileInfo((*log)->items({})->front().picture).fileName();
        };
        const QString last = pictureOf();
        const auto step = [&](auto act) {
            const auto before = run()->itemCount();
            act();
            QVERIFY(waitFor([&] { return run()->itemCount() > before; }));
        };
        step([&] { click(child<QPushButton>("previousPicture")); });
        QVERIFY(pictureOf() != last);
        step([&] { click(child<QPushButton>("nextPicture")); });
        QCOMPARE(pictureOf(), last);
        step([&] {
            giveKeys(at);
            at->selectAll();
            QTest::keyClicks(at, "2");
            QTest::keyClick(at, Qt::Key_Return);
        });
        QCOMPARE(at->value(), 2);
        // Another recipe's trials are another source.
        QVERIFY(m_window->openRecipe(m_recipe));
        QVERIFY(run()->release("A. Person"));
        m_window->showWorkspace(1);
        take();
        QVERIFY2((*records::RecordLog::open(run()->logPath()))->items({})->front().picture.startsWith(m_set.path()),
                 qPrintable(pictureOf()));
    }

    void faultsOfTheWorldComeAndGo()
    {
        // A folder in which one picture is broken: said, counted, and over with the next one.
        const QTemporaryDir folder;
        const auto png = *image::encodePng(demo::referencePlate(smallField()).picture);
        const auto put = [&](const char* leaf, const std::string& bytes) {
            (void)base::realFiles().write(folder.filePath(QLatin1String(leaf)).toStdString(), bytes);
        };
        put("1.png", png), put("2.png", "broken"), put("3.png", png);
        auto* source = child<QComboBox>("source");
        source->setCurrentIndex(2);
        emit source->activated(2);
        whenDialog<QFileDialog>([&](QFileDialog& d) {
            d.findChild<QLineEdit*>("fileNameEdit")->setText(folder.path());
            static_cast<QDialog&>(d).accept();
        });
        take();
        run()->takeOne();
        QVERIFY(waitFor([&] { return run()->lamps()->state("camera") == Lamps::State::Trouble; }));
        QVERIFY(run()->lamps()->words("camera").contains("2.png"));
        QTRY_COMPARE(band()->word(), QString("NO PICTURE"));
        m_window->grab();
        take();
        QTRY_VERIFY(run()->lamps()->state("camera") != Lamps::State::Trouble);
        QVERIFY(child<QLabel>("countsText")->text().contains("1 unreadable"));
        QSettings().remove("run/source"); // the folder would be there again
        // The log is away and comes back.
        const QString data = m_place.path("away");
        QVERIFY(QDir().mkpath(data + "/records.sqlite"));
        openOn(data);
        m_window->showWorkspace(1);
        QVERIFY(run()->release("A. Person"));
        take(2);
        QCOMPARE(run()->lamps()->state("records"), Lamps::State::Trouble);
        QVERIFY(QDir(data).rmdir("records.sqlite"));
        take();
        QTRY_COMPARE(run()->lamps()->state("records"), Lamps::State::Well);
        const auto log = records::RecordLog::open(run()->logPath());
        QCOMPARE((*log)->counts({})->items, 1LL);
        // What was said meanwhile is written too, a little later.
        QTRY_VERIFY(events("fault").size() >= 1 && events("fault over").size() >= 1);
    }

    void wholeScreenAndBack()
    {
        QTest::keyClick(m_window.get(), Qt::Key_F11, Qt::ShiftModifier);
        QVERIFY(run()->fullScreen() && m_window->isFullScreen());
        QVERIFY(!child<QWidget>("header")->isVisible() && !child<QWidget>("feed")->isVisible());
        QTest::keyClick(run(), Qt::Key_Escape);
        QVERIFY(!run()->fullScreen() && !m_window->isFullScreen() && child<QWidget>("header")->isVisible());
        QTest::keyClick(m_window.get(), Qt::Key_F11, Qt::ShiftModifier);
        m_window->showWorkspace(0);
        QVERIFY(child<QWidget>("header")->isVisible() && !m_window->isFullScreen());
    }

    void cameraIsSetUpLive()
    {
        const QString folder = m_place.path("camera");
        CameraDialog d(
            session(),
            [](const station::Conveyor& c) {
                return std::make_unique<station::ConveyorSource>(c, [](const station::Passing& p) {
                    return demo::passingPlate(smallField(), 3, 0, false, p.light, p.smearMm);
                });
            },
            folder, m_window.get());
        d.show();
        QVERIFY(waitFor([&] { return d.frames() > 2; }));
        auto* source = d.findChild<QComboBox*>("liveSource");
        source->setCurrentIndex(0);
        auto* exposure = d.findChild<QDoubleSpinBox*>("exposure");
        auto* histogram = d.findChild<HistogramView*>("histogram");
        exposure->setValue(20000);
        QCOMPARE(session().recipe().camera.exposure, std::optional(20000.0));
        QVERIFY(waitFor([&] { return histogram->words().contains("clip at white"); }));
        const double shortSharp = d.sharpness();
        click(d.findChild<QPushButton*>("autoExposure"));
        QVERIFY(waitFor([&] { return !d.exposing(); }));
        QVERIFY2(d.findChild<QLabel*>("cameraState")->text().contains("found in"),
                 qPrintable(d.findChild<QLabel*>("cameraState")->text()));
        const double found = session().recipe().camera.exposure.value_or(0);
        QVERIFY2(found > 1700 && found < 2400, qPrintable(QString::number(found)));
        QVERIFY(waitFor([&] { return !histogram->words().contains("clip"); }));
        QVERIFY(d.best() >= d.sharpness() && shortSharp >= 0);
        // What the camera refuses is said with its bound.
        exposure->setValue(200000);
        QVERIFY(waitFor([&] { return d.findChild<QLabel*>("cameraState")->text().contains("20 .. 100000"); }));
        session().undo();
        QTRY_COMPARE(exposure->value(), found);
        const auto frames = d.frames();
        QVERIFY(waitFor([&] { return d.frames() > frames + 1; }));
        d.findChild<QCheckBox*>("evenness")->setChecked(true);
        QVERIFY(waitFor([&] { return d.findChild<QLabel*>("evennessText")->text().contains("darkest"); }));
        // Pictures go to the trials, or aside.
        const int trials = session().trialCount();
        QTest::keyClick(&d, Qt::Key_T);
        QVERIFY(waitFor([&] { return session().trialCount() == trials + 1; }));
        const QString picture = QString::fromStdString(session().recipe().trials.back().picture);
        QVERIFY(QFileInfo::exists(picture) && picture.startsWith(QFileInfo(m_recipe).absolutePath()));
        click(d.findChild<QPushButton*>("takeTarget"));
        QVERIFY(waitFor([&] { return session().recipe().setAside.size() == 1; }));
        QCOMPARE(session().trialCount(), trials + 1);
        d.reject();
        QFile::remove(picture);
        QFile::remove(QString::fromStdString(session().recipe().setAside[0]));
    }
};

QTEST_MAIN(LineWindowTest)
#include "line_window_test.moc"
