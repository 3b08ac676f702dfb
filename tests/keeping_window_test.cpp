// Revisions, pictures inside, variants, labels of parts, what is set aside, and the two arrangements: in the real window.
#include "demo/small_sets.h"
#include "desktop/latest_job.h"
#include "desktop/param_form.h"
#include "desktop/person.h"
#include "desktop/recipe_dialog.h"
#include "desktop/revisions_dialog.h"
#include "desktop/run/release_dialog.h"
#include "recipe/history.h"
#include "recipe/variants.h"
#include "window_support.h"

#include <QCheckBox>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QProgressDialog>
#include <QPushButton>
#include <QTableWidget>
#include <QToolButton>

using namespace support;
using namespace desktop;
using recipe::Label;

class KeepingWindowTest : public QObject
{
    Q_OBJECT
    OwnPlace m_place;
    std::unique_ptr<QTemporaryDir> m_dir;
    std::unique_ptr<MainWindow> m_window;

    Session& session() { return m_window->session(); }
    SetupPage& page() { return *m_window->setupPage(); }
    bool settled()
    {
        return waitFor([&] { return session().settled(); }, 120000);
    }
    void key(int k, Qt::KeyboardModifiers m = Qt::NoModifier)
    {
        giveKeys(page().sheet());
        QTest::keyClick(page().sheet(), Qt::Key(k), m);
        QVERIFY(settled());
    }
    void open(const std::string& path)
    {
        QVERIFY(m_window->openRecipe(QString::fromStdString(path)));
        QVERIFY(settled());
    }
    void answer(const QString& text, int k, Qt::KeyboardModifiers m)
    {
        whenDialog<QInputDialog>([&](QInputDialog& d) {
            QTest::keyClicks(d.findChild<QLineEdit*>(), text);
            d.accept();
        });
        key(k, m);
    }
private slots:
    void init()
    {
        m_dir = std::make_unique<QTemporaryDir>();
        m_window = openWindow(m_place.path("data"));
        setPerson(QStringLiteral("E. Sand"));
    }
    void cleanup()
    {
        if (m_window) m_window->session().forgetRecovery();
        m_window.reset();
    }
    void everySaveIsKeptComparedAndTakenBack()
    {
        open(writeDemo(*m_dir, 6));
        key(Qt::Key_S, Qt::ControlModifier);
        QCOMPARE(session().recipe().history.size(), std::size_t(1));
        QCOMPARE(session().recipe().revision, 1);
        const std::string first = recipe::identity(session().recipe());
        session().setLimits("width", "distance", *recipe::parseLimits(">= 30", base::Unit::Millimetre), false);
        QVERIFY(settled());
        answer(QStringLiteral("trial of a limit"), Qt::Key_N, Qt::ControlModifier | Qt::ShiftModifier);
        QCOMPARE(session().recipe().revision, 2);
        QVERIFY(!session().modified());
        const auto& last = *session().recipe().history.back();
        QCOMPARE(last.why, std::string("trial of a limit"));
        QCOMPARE(last.by, std::string("E. Sand"));
        QCOMPARE(last.changes.size(), std::size_t(1));
        // Saved again without a change: nothing new.
        key(Qt::Key_S, Qt::ControlModifier);
        QCOMPARE(session().recipe().history.size(), std::size_t(2));
        // Reopened it is all there; compared on the trials, the width turns all that were accepted.
        int accepted = 0;
        {
            auto now = recipe::load(session().path().toStdString());
            QVERIFY(now.has_value());
            QCOMPARE(now->history.size(), std::size_t(2));
            auto was = inspect::Prepared::make(*recipe::recipeOf(*now->history[0]));
            for (const auto& t : now->trials)
                accepted += inspect::evaluate(*was, *image::loadCapture(t.picture)).accepted();
        }
        QVERIFY(accepted > 2);
        bool looked = false;
        whenDialog<RevisionsDialog>([&](RevisionsDialog& d) {
            auto* table = d.findChild<QTableWidget*>("revisions");
            QCOMPARE(table->rowCount(), 2);
            QCOMPARE(table->currentRow(), 1); // the one before is compared with now
            QCOMPARE(table->item(0, 4)->text(), QString("trial of a limit"));
            QCOMPARE(d.findChild<QLabel*>("compareHead")->text(), QString("From revision 1 to now"));
            auto* changes = d.findChild<QListWidget*>("compareChanges");
            QCOMPARE(changes->count(), 1);
            QVERIFY(changes->item(0)->text().startsWith("\"Width\": limits ≥ 30"));
            QTest::mouseClick(d.findChild<QPushButton*>("compareRun"), Qt::LeftButton);
            auto* trials = d.findChild<QTableWidget*>("compareTrials");
            auto* said = d.findChild<QLabel*>("compareSaid");
            QVERIFY(waitFor([&] { return said->text().contains("change their verdict"); }));
            QVERIFY2(said->text().startsWith(QString("%1 of 6").arg(accepted)), qPrintable(said->text()));
            QCOMPARE(trials->item(0, 1)->text(), QString("ACCEPT"));
            QCOMPARE(trials->item(0, 2)->text(), QString("REJECT"));
            // Against itself nothing differs.
            auto* with = d.findChild<QComboBox*>("compareWith");
            with->setCurrentIndex(with->count() - 1);
            QCOMPARE(changes->item(0)->text(), QString("Nothing differs"));
            QCOMPARE(trials->rowCount(), 0);
            with->setCurrentIndex(0);
            QTest::mouseClick(d.findChild<QPushButton*>("takeRevision"), Qt::LeftButton);
            looked = true;
        });
        key(Qt::Key_H, Qt::ControlModifier);
        QVERIFY(looked);
        QCOMPARE(recipe::identity(session().recipe()), first);
        QCOMPARE(session().recipe().revision, 2); // saved it becomes the third
        QVERIFY(session().modified());
        key(Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(recipe::identity(session().recipe()) != first);
        QCOMPARE(session().recipe().history.size(), std::size_t(2)); // what was saved stays saved
    }
    void whatIsReleasedIsARevision()
    {
        open(writeDemo(*m_dir, 3));
        key(Qt::Key_S, Qt::ControlModifier);
        session().setLimits("width", "distance", *recipe::parseLimits("26 +-0.5", base::Unit::Millimetre), false);
        QVERIFY(settled());
        whenDialog<ReleaseDialog>(
            [](ReleaseDialog& d) { QTest::mouseClick(d.findChild<QPushButton*>("releaseGo"), Qt::LeftButton); });
        key(Qt::Key_R, Qt::ControlModifier | Qt::ShiftModifier);
        QCOMPARE(session().recipe().revision, 2); // never two things under one number
        QCOMPARE(session().recipe().history.back()->number, 2);
        QCOMPARE(session().recipe().history.back()->why, std::string("released"));
        key(Qt::Key_S, Qt::ControlModifier);
        QCOMPARE(session().recipe().revision, 2);
        QCOMPARE(session().recipe().history.size(), std::size_t(2));
    }
    void picturesGoWithTheFile()
    {
        const std::string path = writeDemo(*m_dir, 4);
        open(path);
        std::vector<bool> accepted;
        for (int t = 0; t < 4; ++t) accepted.push_back(session().result(t)->accepted());
        whenDialog<RecipeDialog>([](RecipeDialog& d) {
            auto* inside = d.findChild<QCheckBox*>("trialsInside");
            QVERIFY(inside && inside->text().contains("4 pictures"));
            QTest::mouseClick(inside, Qt::LeftButton, Qt::NoModifier, QPoint(8, inside->height() / 2));
            QVERIFY(inside->isChecked());
            d.accept();
        });
        key(Qt::Key_Comma, Qt::ControlModifier);
        QVERIFY(session().recipe().trialsInside);
        key(Qt::Key_S, Qt::ControlModifier);
        for (int t = 1; t <= 4; ++t) QVERIFY(QFile::remove(m_dir->filePath(QString("plate-00%1.png").arg(t))));
        open(path);
        QCOMPARE(session().trialCount(), 4);
        for (int t = 0; t < 4; ++t) {
            QVERIFY(!session().result(t)->error);
            QCOMPARE(session().result(t)->accepted(), bool(accepted[std::size_t(t)]));
        }
        QCOMPARE(session().pictureName().left(9), QString("plate-001"));
        // Saved over itself and looked at again: nothing has to be read anew.
        session().change("name", [](recipe::Recipe& r) { r.name = "Carried"; });
        key(Qt::Key_S, Qt::ControlModifier);
        session().lookForChangedPictures();
        QCOMPARE(session().pending(), 0);
        open(path);
        for (int t = 0; t < 4; ++t) QVERIFY(!session().result(t)->error);
    }
    void variantsHaveAReferenceOfTheirOwn()
    {
        const std::string path = writeDemo(*m_dir, 3);
        open(path);
        const std::string one = recipe::identity(session().recipe());
        whenDialog<QInputDialog>([](QInputDialog& d) {
            QTest::keyClicks(d.findChild<QLineEdit*>(), "nine slots");
            d.accept();
        });
        m_window->findChild<QAction*>("newVariant")->trigger();
        QVERIFY(settled());
        QCOMPARE(session().recipe().variant, std::string("nine slots"));
        QCOMPARE(session().trialCount(), 0);
        QVERIFY(m_window->findChild<QLabel*>("recipeName")->text().contains("nine slots"));
        m_window->addPictures({m_dir->filePath("plate-002.png")});
        QVERIFY(settled());
        key(Qt::Key_R, Qt::ControlModifier);
        session().setLimits("slots", "count", *recipe::parseLimits("9", base::Unit::None), false);
        const std::string two = recipe::identity(session().recipe());
        QVERIFY(one != two);
        key(Qt::Key_V, Qt::ControlModifier | Qt::ShiftModifier);
        QCOMPARE(recipe::identity(session().recipe()), one);
        QCOMPARE(session().recipe().variant, std::string("Variant 1"));
        QCOMPARE(session().trialCount(), 3);
        key(Qt::Key_V, Qt::ControlModifier | Qt::ShiftModifier);
        QCOMPARE(recipe::identity(session().recipe()), two);
        key(Qt::Key_S, Qt::ControlModifier);
        open(path);
        QCOMPARE(recipe::identity(session().recipe()), two);
        QCOMPARE(recipe::variantNames(session().recipe()), (std::vector<std::string>{"Variant 1", "nine slots"}));
        // Headless the same, by name; one that is not there is named with those that are.
        auto whole = recipe::load(path);
        QCOMPARE(recipe::identity(*recipe::withVariant(*whole, "Variant 1")), one);
        const auto none = recipe::withVariant(*whole, "ten");
        QVERIFY(!none.has_value() && none.error().message.find("nine slots") != std::string::npos);
        // The name is free or said to be taken; the last one cannot go.
        QVERIFY(!recipe::withNewVariant(*whole, "Variant 1").has_value());
        QVERIFY(!recipe::withNewVariant(*whole, "").has_value());
        m_window->findChild<QAction*>("deleteVariant")->trigger();
        QVERIFY(settled());
        QCOMPARE(recipe::identity(session().recipe()), one);
        m_window->findChild<QAction*>("deleteVariant")->trigger();
        QCOMPARE(recipe::identity(session().recipe()), one);
        key(Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(recipe::identity(session().recipe()), two);
    }
    void labelsStepOnAndBelongToParts()
    {
        QVERIFY(demo::writeSmallPlates(m_dir->path().toStdString(), 1, 4, {816, 683, 0.156}).has_value());
        open(m_dir->filePath("small-plates.dikkat").toStdString());
        session().change("open", [](recipe::Recipe& r) {
            for (auto& t : r.trials) t.label = Label::Open;
        });
        session().setTrial(0);
        key(Qt::Key_G);
        QCOMPARE(session().recipe().trials[0].label, Label::Good);
        QCOMPARE(session().trial(), 1); // the next one without a label
        session().setTrial(0);
        key(Qt::Key_B); // labelled anew: it stays in view
        QCOMPARE(session().recipe().trials[0].label, Label::Bad);
        QCOMPARE(session().trial(), 0);
        key(Qt::Key_O);
        // Unfolded, a label is the part's.
        key(Qt::Key_U, Qt::ShiftModifier);
        session().setTrial(0);
        session().setItem(0);
        QVERIFY(settled());
        const auto items = session().result(0)->items.size();
        QVERIFY(items >= 2);
        key(Qt::Key_G);
        QCOMPARE(session().recipe().trials[0].items.size(), std::size_t(1));
        QCOMPARE(session().item(), 1); // the next part
        key(Qt::Key_B);
        QCOMPARE(session().recipe().trials[0].items.size(), std::size_t(2));
        QCOMPARE(session().recipe().trials[0].items[1].label, Label::Bad);
        QCOMPARE(session().recipe().trials[0].label, Label::Open);
        auto* grid = page().grid();
        QVERIFY(grid->source().column(0).label == report::Sign::Good);
        QVERIFY(grid->source().column(1).label == report::Sign::Bad);
        // By the sign of a column, too.
        const QRect cell = grid->cellRect(0, 0);
        QTest::mouseClick(grid->viewport(), Qt::LeftButton, Qt::ShiftModifier, QPoint(cell.center().x(), 27));
        QVERIFY(grid->source().column(0).label == report::Sign::Bad);
        QCOMPARE(session().recipe().trials[0].items.size(), std::size_t(2));
        key(Qt::Key_U, Qt::ShiftModifier);
        session().setTrial(0);
        key(Qt::Key_G); // of the whole picture: what was said of parts goes
        QVERIFY(session().recipe().trials[0].items.empty());
        key(Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(session().recipe().trials[0].items.size(), std::size_t(2));
    }
    void whatIsNoPartIsSetAside()
    {
        open(writeDemo(*m_dir, 3));
        session().setTrial(1);
        const std::string gone = session().recipe().trials[1].picture;
        m_window->setupPage()->action("setAside")->trigger();
        QVERIFY(settled());
        QCOMPARE(session().trialCount(), 2);
        m_window->addPictures({m_dir->path()});
        QVERIFY(settled());
        for (const auto& t : session().recipe().trials) QVERIFY(t.picture != gone);
        whenDialog<RecipeDialog>([](RecipeDialog& d) {
            auto* back = d.findChild<QCheckBox*>("bringBack");
            QVERIFY(back && back->text().contains("1 picture"));
            back->setChecked(true);
            d.accept();
        });
        key(Qt::Key_Comma, Qt::ControlModifier);
        QCOMPARE(session().recipe().trials.back().picture, gone);
        QVERIFY(session().recipe().setAside.empty());
    }
    void aPictureOfAnotherKindIsSaid()
    {
        open(writeDemo(*m_dir, 2));
        QImage other(m_dir->filePath("plate-001.png"));
        other.convertToFormat(QImage::Format_RGB32).save(m_dir->filePath("colour.png"));
        other.scaled(other.size() / 2).convertToFormat(QImage::Format_Grayscale8).save(m_dir->filePath("small.png"));
        other.convertToFormat(QImage::Format_Grayscale16).save(m_dir->filePath("deep.png"));
        m_window->addPictures(
            {m_dir->filePath("colour.png"), m_dir->filePath("small.png"), m_dir->filePath("deep.png")});
        QVERIFY(settled());
        const char* said[] = {"is colour, the reference grey", "the reference 816×683 px", "16 bits, the reference 8"};
        for (int i = 0; i < 3; ++i) {
            const auto& warnings = session().result(2 + i)->warnings;
            QVERIFY2(!warnings.empty() && warnings.back().find(said[i]) != std::string::npos,
                     warnings.empty() ? "nothing said" : warnings.back().c_str());
            QVERIFY(page().grid()->source().column(2 + i).tip.contains(said[i]));
        }
        QVERIFY(session().result(0)->warnings.empty());
    }
    void theSheetStandsBesideAPartThatIsHigh()
    {
        const std::string path = writeDemo(*m_dir, 3);
        open(path);
        QVERIFY(!page().tall());
        const auto below = [&] { // the grid, of the sheet
            return page().grid()->mapTo(m_window.get(), QPoint()).y() >=
                   page().sheet()->mapTo(m_window.get(), QPoint()).y() + page().sheet()->height();
        };
        QVERIFY(below());
        // Its sizes are its own.
        const auto wide = page().upper()->sizes();
        QTest::mouseClick(page().findChild<QToolButton*>("arrangementButton"), Qt::LeftButton);
        QVERIFY(settled());
        QVERIFY(page().tall() && !below());
        QCOMPARE(session().recipe().arrangement, std::string("tall"));
        QVERIFY(page().sheet()->height() > 600);
        QVERIFY(page().grid()->isVisible() && page().evidence()->isVisible() && page().evidence()->form()->isVisible());
        key(Qt::Key_F12);
        QVERIFY(!page().sheet()->isVisible() && page().grid()->isVisible());
        QTest::keyClick(page().grid(), Qt::Key_F12);
        key(Qt::Key_F11);
        QVERIFY(page().sheet()->isVisible() && !page().grid()->isVisible() && !page().evidence()->isVisible());
        key(Qt::Key_F11);
        QVERIFY(page().grid()->isVisible() && page().evidence()->isVisible());
        key(Qt::Key_F4, Qt::ShiftModifier);
        QVERIFY(!page().tall() && below());
        QCOMPARE(page().upper()->sizes(), wide);
        // One step back, as everything.
        key(Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(page().tall());
        key(Qt::Key_S, Qt::ControlModifier);
        m_window->session().newRecipe();
        QVERIFY(!page().tall());
        open(path);
        QVERIFY(page().tall());
        // A picture that is high stands so by itself.
        QImage high =
            QImage(m_dir->filePath("plate-001.png")).transformed(QTransform().rotate(90)).copy(100, 0, 400, 816);
        high.convertToFormat(QImage::Format_Grayscale8).save(m_dir->filePath("high.png"));
        m_window->session().newRecipe();
        m_window->addPictures({m_dir->filePath("high.png")});
        QVERIFY(settled());
        key(Qt::Key_R, Qt::ControlModifier);
        QVERIFY(page().tall());
    }
    // What takes longer than half a second says how far it is, and can be stopped.
    void longWorkShowsAndStops()
    {
        base::Watch watch;
        QElapsedTimer since;
        int most = 0;
        since.start();
        QTimer look;
        connect(&look, &QTimer::timeout, this, [&] {
            auto* bar = qobject_cast<QProgressDialog*>(QApplication::activeModalWidget());
            if (!bar) return;
            most = std::max(most, bar->value());
            if (most > 300) bar->findChild<QPushButton*>()->click();
        });
        look.start(30);
        const bool ended = watched("Saving", watch, [&] {
            for (int i = 0; i < 4000 && !watch.cancel; ++i) {
                watch.share = i / 400.0;
                std::this_thread::sleep_for(std::chrono::milliseconds(5));
            }
            return watch.cancel.load();
        });
        QVERIFY(ended && most > 300);
        QVERIFY(!QApplication::activeModalWidget());
        // What is done at once shows nothing.
        most = 0;
        QCOMPARE(watched("Saving", watch, [] { return 7; }), 7);
        QCOMPARE(most, 0);
    }
    void recentRecipesShowTheirReference()
    {
        const std::string path = writeDemo(*m_dir, 2);
        open(path);
        auto* menu = m_window->findChild<QMenu*>("recentMenu");
        QVERIFY(waitFor([&] {
            emit menu->aboutToShow();
            return !menu->actions().isEmpty() && !menu->actions().front()->icon().isNull() &&
                   !menu->actions().front()->icon().availableSizes().isEmpty();
        }));
        QCOMPARE(menu->actions().front()->text(), QString::fromStdString(path));
    }
};

QTEST_MAIN(KeepingWindowTest)
#include "keeping_window_test.moc"
