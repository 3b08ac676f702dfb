// The Proof workspace in the window: proved by key, stopped, walked, expected levels stated, reasons given, signed;
// and the pictures of a capture with their tiles and seams.
#include "demo/long_plate.h"
#include "desktop/pictures_dialog.h"
#include "desktop/proof/expect_dialog.h"
#include "desktop/proof/proof_page.h"
#include "image/tiles.h"
#include "window_support.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFile>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QSpinBox>
#include <QTableWidget>
#include <QToolButton>
#include <nlohmann/json.hpp>

using namespace support;
using namespace desktop;
using namespace recipe;

class ProofWindowTest : public QObject
{
    Q_OBJECT
    OwnPlace m_place;
    QTemporaryDir m_set, m_long;
    std::unique_ptr<MainWindow> m_window;

    Session& session() { return m_window->session(); }
    ProofPage* page() { return m_window->proofPage(); }
    StrainMatrix* matrix() { return page()->matrix(); }
    template <class W> W* child(const char* name) { return m_window->findChild<W*>(QLatin1String(name)); }
    bool settled()
    {
        return waitFor([&] { return session().settled(); }, 120000);
    }
    // Little is expected, so that it is quick.
    void expectLittle()
    {
        session().change("expected", [](Recipe& r) {
            for (const proof::ChangeKind& k : proof::changeKinds()) r.proof.changes[k.key] = 0;
            r.proof.changes["darker"] = 20, r.proof.changes["noise"] = 6, r.proof.changes["size"] = 3;
        });
        QVERIFY(settled());
    }
    void proveQuickly()
    {
        m_window->showWorkspace(3);
        giveKeys(matrix());
        QTest::keyClick(matrix(), Qt::Key_F6, Qt::ShiftModifier);
        QVERIFY(page()->proving());
        QVERIFY(child<QPushButton>("stopProofButton")->isVisible() &&
                child<QProgressBar>("proofProgress")->isVisible());
        QVERIFY(waitFor([&] { return !page()->proving(); }, 240000));
        QVERIFY(page()->proof() != nullptr);
        QVERIFY(waitFor([&] { return page()->settled(); }, 240000));
        QTest::qWait(50);
    }

private slots:
    void initTestCase()
    {
        writeDemo(m_set, 9);
        QVERIFY(demo::writeLongPlates(m_long.path().toStdString(), 1, 2, {}));
    }
    void init()
    {
        m_window = openWindow(m_place.path(QTest::currentTestFunction()));
        QVERIFY(m_window->openRecipe(m_set.filePath("reed-plate.dikkat")));
        QVERIFY(settled());
    }
    void cleanup()
    {
        if (m_window) m_window->session().forgetRecovery();
        m_window.reset();
    }
    void nothingIsSaidBeforeItIsProved()
    {
        QTest::keyClick(m_window.get(), Qt::Key_4, Qt::ControlModifier);
        QCOMPARE(m_window->workspace(), 3);
        QCOMPARE(child<QLabel>("proofAnswer")->text(), QString("not proved yet"));
        QVERIFY(!child<QPushButton>("signButton")->isEnabled());
        QVERIFY2(child<QPushButton>("signButton")->toolTip().contains("not proved"),
                 qPrintable(child<QPushButton>("signButton")->toolTip()));
        QVERIFY(!child<QPushButton>("approvalPdfButton")->isEnabled());
    }
    void theWeakestIsNamedAndOpensInSetUp()
    {
        expectLittle();
        proveQuickly();
        const auto p = page()->proof();
        QVERIFY(p->strain.shortCells() > 0); // three percent are too much for its lengths
        QVERIFY2(child<QLabel>("proofAnswer")->text().contains("give way too early"),
                 qPrintable(child<QLabel>("proofAnswer")->text()));
        QVERIFY(child<QLabel>("proofWeakest")->text().startsWith("Weakest: "));
        // F3 leads to one that gives way; Enter opens the picture that did it.
        giveKeys(matrix());
        QTest::keyClick(matrix(), Qt::Key_F3);
        QVERIFY(!matrix()->chosenCell()->holds());
        const std::string step = matrix()->chosenRow()->step;
        const int trial = p->samples[std::size_t(matrix()->chosenCell()->sample)].trial;
        QTest::keyClick(matrix(), Qt::Key_Return);
        QCOMPARE(m_window->workspace(), 0);
        QCOMPARE(session().trial(), trial);
        QCOMPARE(session().selected(), step);
        // Arrows walk.
        m_window->showWorkspace(3);
        giveKeys(matrix());
        matrix()->choose(0, 0);
        QTest::keyClick(matrix(), Qt::Key_Right), QTest::keyClick(matrix(), Qt::Key_Down);
        QCOMPARE(matrix()->row(), 1);
        QCOMPARE(matrix()->column(), 1);
        QVERIFY(matrix()->textAt(0, 0).contains("expected"));
    }
    void whatIsExpectedIsStatedAndUndone()
    {
        m_window->showWorkspace(3);
        whenDialog<ExpectDialog>([](ExpectDialog& d) {
            d.findChild<QDoubleSpinBox*>("expect_darker")->setValue(35);
            d.findChild<QDoubleSpinBox*>("asked_burr")->setValue(0.2);
            d.accept();
        });
        page()->action("expected")->trigger();
        QCOMPARE(session().recipe().proof.changes.at("darker"), 35.0);
        QCOMPARE(session().recipe().proof.faults.at("burr"), 0.2);
        QVERIFY(child<QToolButton>("expected")->accessibleName().contains("darker 35"));
        m_window->findChild<QAction*>("undo")->trigger();
        QVERIFY(session().recipe().proof.faults.empty());
    }
    void itIsStoppedAndGrowsOld()
    {
        expectLittle();
        m_window->showWorkspace(3);
        giveKeys(matrix());
        QTest::keyClick(matrix(), Qt::Key_F6);
        QVERIFY(page()->proving());
        QTest::qWait(150);
        QTest::keyClick(matrix(), Qt::Key_F8);
        QVERIFY(waitFor([&] { return !page()->proving(); }, 60000));
        QVERIFY(child<QPushButton>("proveButton")->isVisible());
        // What was stopped is no proof.
        QVERIFY(!page()->proof() || !page()->proof()->whole);
        QVERIFY(!child<QPushButton>("signButton")->isEnabled());
        proveQuickly();
        QVERIFY(!page()->isOld());
        session().change("threshold", [](Recipe& r) { r.steps.back().inUse = false; });
        QVERIFY(page()->isOld());
        page()->refresh();
        QVERIFY(!child<QPushButton>("signButton")->isEnabled());
    }
    void anotherRecipeHasAnotherProof()
    {
        expectLittle();
        proveQuickly();
        session().forgetRecovery();
        QVERIFY(session().saveTo(m_place.path("kept.dikkat")).has_value());
        page()->refresh();
        QVERIFY(page()->proof() != nullptr); // saved under another name it is the same
        // Another expectation makes it old, as another limit does.
        session().change("expected", [](Recipe& r) { r.proof.changes["darker"] = 40; });
        QVERIFY(page()->isOld());
        QVERIFY(m_window->openRecipe(m_long.filePath("long-plate.dikkat")));
        QVERIFY(settled());
        m_window->showWorkspace(3);
        QVERIFY(page()->proof() == nullptr);
        QCOMPARE(child<QLabel>("proofAnswer")->text(), QString("not proved yet"));
    }
    void aPageIsSignedOnceEveryPointHasItsReason()
    {
        expectLittle();
        proveQuickly();
        const auto open = page()->proof()->open;
        QVERIFY(!open.empty());
        whenDialog<QInputDialog>([](QInputDialog& d) {
            d.setTextValue("by hand at packing");
            d.accept();
        });
        auto* first = child<QLabel>("point0");
        QVERIFY(first != nullptr);
        emit first->linkActivated("reason");
        QCOMPARE(session().recipe().proof.reasons.size(), std::size_t(1));
        QCOMPARE(page()->proof()->open.front().reason, std::string("by hand at packing"));
        QVERIFY(!page()->isOld()); // a reason is no change of the recipe
        session().change("reasons", [&](Recipe& r) {
            for (const auto& p : open) r.proof.reasons.push_back({p.key, "known", "E. Sand", ""});
        });
        page()->refresh();
        child<QLineEdit>("approvalName")->setText("E. Sand");
        // A quick proof is too rough.
        QVERIFY(!child<QPushButton>("signButton")->isEnabled());
        QVERIFY(child<QPushButton>("signButton")->toolTip().contains("quick"));
        QVERIFY(!page()->sign(m_place.path("no.pdf")));
        page()->prove(false);
        QVERIFY(waitFor([&] { return !page()->proving(); }, 300000));
        QVERIFY(waitFor([&] { return page()->settled(); }, 300000));
        session().change("reasons", [&](Recipe& r) {
            for (const auto& p : page()->proof()->open) r.proof.reasons.push_back({p.key, "known", "E. Sand", ""});
        });
        page()->refresh();
        QVERIFY2(child<QPushButton>("signButton")->isEnabled(),
                 qPrintable(child<QPushButton>("signButton")->toolTip()));
        const QString pdf = m_place.path("approval.pdf");
        const auto ok = page()->sign(pdf);
        QVERIFY2(ok.has_value(), ok ? "" : ok.error().text().c_str());
        QFile f(pdf), j(m_place.path("approval.json"));
        QVERIFY(f.open(QIODevice::ReadOnly) && f.readAll().startsWith("%PDF"));
        QVERIFY(j.open(QIODevice::ReadOnly));
        const auto json = nlohmann::json::parse(j.readAll().toStdString());
        QCOMPARE(json["approval"]["signed_by"].get<std::string>(), std::string("E. Sand"));
        QVERIFY(child<QLabel>("approvalTitle")->text().contains("signed by E. Sand"));
    }
    void aCaptureOfSeveralLightsIsStated()
    {
        whenDialog<PicturesDialog>([](PicturesDialog& d) {
            click(d.findChild<QPushButton*>("addPicture"));
            auto* table = d.findChild<QTableWidget*>("pictures");
            QCOMPARE(table->rowCount(), 1);
            table->item(0, 1)->setText("{id}-x.png");
            QVERIFY2(d.findChild<QLabel*>("picturesSaid")->text().contains("fits none"),
                     qPrintable(d.findChild<QLabel*>("picturesSaid")->text()));
            table->item(0, 1)->setText("{id}.png");
            QVERIFY(d.findChild<QLabel*>("picturesSaid")->text().contains("are there"));
            table->item(0, 0)->setText("white");
            d.accept();
        });
        m_window->findChild<QAction*>("pictures")->trigger();
        QCOMPARE(session().recipe().pictures.size(), std::size_t(1));
        QCOMPARE(session().recipe().pictures.front().key, std::string("white"));
        QVERIFY(settled());
        QVERIFY(session().currentResult() && !session().currentResult()->error);
        m_window->findChild<QAction*>("undo")->trigger();
        QVERIFY(session().recipe().pictures.empty());
    }
    void seamsAreLookedAtAndCorrected()
    {
        QVERIFY(m_window->openRecipe(m_long.filePath("long-plate.dikkat")));
        QVERIFY(settled());
        session().setTrial(0);
        QVERIFY(settled());
        PicturesDialog d(session());
        d.show();
        QVERIFY(QTest::qWaitForWindowExposed(&d));
        auto* seams = d.findChild<QTableWidget*>("seams");
        QVERIFY(waitFor([&] { return seams->rowCount() == 2 && d.settled(); }, 60000));
        QVERIFY(d.findChild<QLabel*>("joinedSaid")->text().contains("px"));
        // Moved by hand: held there, and the seam says that it does not fit any more.
        giveKeys(seams);
        for (int i = 0; i < 2; ++i) QTest::keyClick(seams, Qt::Key_Right, Qt::ControlModifier | Qt::ShiftModifier);
        QVERIFY(waitFor(
            [&] { return d.settled() && d.findChild<QLabel*>("joinedSaid")->text().contains("held by hand"); }, 60000));
        QVERIFY2(seams->item(0, 1)->text().toDouble() > 1.5, qPrintable(seams->item(0, 1)->text()));
        click(d.findChild<QPushButton*>("letTilesGo"));
        QVERIFY(waitFor(
            [&] {
                return d.settled() && d.findChild<QLabel*>("joinedSaid")->text().contains("left over") &&
                       !d.findChild<QLabel*>("joinedSaid")->text().contains("held");
            },
            60000));
        QVERIFY(seams->item(0, 1)->text().toDouble() < 0.1);
        // Found from nothing but the pictures.
        d.findChild<QLineEdit*>("tileStepX")->setText("1500");
        emit d.findChild<QLineEdit*>("tileStepX")->editingFinished();
        click(d.findChild<QPushButton*>("findPlan"));
        // Slots that repeat every 184 px tell the step but for whole ones of them.
        const auto off = [&] {
            const double x = d.findChild<QLineEdit*>("tileStepX")->text().toDouble() - 1700;
            return x == -200 ? 1e9 : std::abs(x - 184 * std::round(x / 184));
        };
        QVERIFY2(waitFor([&] { return off() < 16; }, 60000), qPrintable(d.findChild<QLineEdit*>("tileStepX")->text()));
        QVERIFY(waitFor([&] { return d.settled(); }, 60000));
        // Hold B: the second tile alone.
        giveKeys(seams);
        QTest::keyPress(seams, Qt::Key_B);
        QVERIFY(d.findChild<SeamCloseUp*>("seamCloseUp")->shows() == SeamCloseUp::Shows::Second);
        QTest::keyRelease(seams, Qt::Key_B);
        QVERIFY(d.findChild<SeamCloseUp*>("seamCloseUp")->shows() == SeamCloseUp::Shows::Joined);
    }
    void valuesSayHowSureTheyAre()
    {
        m_window->showWorkspace(0);
        session().setTrial(0);
        QVERIFY(settled());
        auto& source = m_window->setupPage()->grid()->source();
        const auto said = [&] {
            QStringList out;
            for (int r = 0; r < source.rows(); ++r) out << source.row(r).value;
            return out.join("|");
        };
        auto* toggle = m_window->findChild<QAction*>("uncertainty");
        QVERIFY(toggle && toggle->isCheckable() && !said().contains(QString::fromUtf8("±")));
        const QImage without = m_window->setupPage()->sheet()->grab().toImage();
        toggle->trigger();
        QVERIFY2(said().contains(QString::fromUtf8(" ± 0.00")), qPrintable(said()));
        QVERIFY(m_window->setupPage()->sheet()->grab().toImage() != without);
        toggle->trigger();
        QVERIFY(!said().contains(QString::fromUtf8("±")));
    }
};

QTEST_MAIN(ProofWindowTest)
#include "proof_window_test.moc"
