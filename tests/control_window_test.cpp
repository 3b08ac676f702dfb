// Outputs written down, tried and put on the line through the real window; the peer is a socket of our own.
#include "camera/camera_source.h"
#include "control/modbus_output.h"
#include "desktop/camera_dialog.h"
#include "desktop/outputs_dialog.h"
#include "desktop/robot_dialog.h"
#include "recipe/robot.h"
#include "recipe/variants.h"
#include "records/record_log.h"
#include "window_support.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QPlainTextEdit>
#include <QProcess>
#include <QPushButton>
#include <QSpinBox>
#include <QTableWidget>
#include <QTcpServer>
#include <QTcpSocket>

using namespace support;
using namespace desktop;

class ControlWindowTest : public QObject
{
    Q_OBJECT
    OwnPlace m_place;
    QTemporaryDir m_demo;
    std::unique_ptr<MainWindow> m_window;

    Session& session() { return m_window->session(); }
    bool settled()
    {
        return waitFor([&] { return session().settled(); });
    }
    void openDialog()
    {
        giveKeys(m_window->setupPage()->sheet());
        QTest::keyClick(m_window->setupPage()->sheet(), Qt::Key_O, Qt::ControlModifier | Qt::ShiftModifier);
    }
    static void addBy(OutputsDialog& d, const char* kind)
    {
        auto* add = d.findChild<QPushButton*>(QStringLiteral("addOutput"));
        for (QAction* a : add->menu()->actions())
            if (a->objectName() == QLatin1String(kind)) a->trigger();
    }
    template <class W> static W* field(OutputsDialog& d, const char* name)
    {
        W* found = nullptr;
        for (W* w : d.findChildren<W*>(QLatin1String(name)))
            if (!w->isHidden() && w->parentWidget() && !w->parentWidget()->isHidden()) found = w;
        return found;
    }
    static QByteArray readAll(QTcpSocket& socket, int lines)
    {
        QByteArray text;
        do text += socket.readAll();
        while (text.count('\n') < lines && (socket.bytesAvailable() || socket.waitForReadyRead(3000)));
        return text;
    }
private slots:
    void initTestCase()
    {
        writeDemo(m_demo, 4);
        m_window = openWindow(m_place.path("data"));
        QVERIFY(m_window->openRecipe(m_demo.filePath(QStringLiteral("reed-plate.dikkat"))));
        QVERIFY(settled());
        session().setTrial(0);
        QVERIFY(settled());
    }
    void cleanupTestCase()
    {
        if (m_window) m_window->session().forgetRecovery();
        m_window.reset();
    }
    void anOutputIsWrittenTriedAndTaken()
    {
        QTcpServer peer;
        QVERIFY(peer.listen(QHostAddress::LocalHost));
        whenDialog<OutputsDialog>([&](OutputsDialog& d) {
            addBy(d, "add_text");
            auto* pattern = field<QLineEdit>(d, "pattern");
            QVERIFY(pattern);
            auto* state = d.findChild<QLabel*>(QStringLiteral("outputState"));
            auto* preview = d.findChild<QPlainTextEdit*>(QStringLiteral("outputPreview"));
            // While it is typed: what is wrong, at which character; then what would be sent.
            pattern->setText(QStringLiteral("{Widht}"));
            QVERIFY2(state->text().contains(QStringLiteral("character 2")), qPrintable(state->text()));
            pattern->setText(QStringLiteral("{verdict} {Width:.2f}\\r\\n"));
            const auto* width = session().currentItem()->check("width", "distance");
            QVERIFY(width);
            const QString line = QStringLiteral("accept %1").arg(width->values[0], 0, 'f', 2);
            QVERIFY2(preview->toPlainText().startsWith(line), qPrintable(preview->toPlainText()));
            field<QSpinBox>(d, "port")->setValue(peer.serverPort());
            QTest::mouseClick(d.findChild<QPushButton*>(QStringLiteral("sendItem")), Qt::LeftButton);
            QTRY_COMPARE(state->text(), QStringLiteral("Sent."));
            QTRY_VERIFY(peer.hasPendingConnections());
            std::unique_ptr<QTcpSocket> socket(peer.nextPendingConnection());
            QCOMPARE(readAll(*socket, 1).trimmed(), line.toUtf8());
            d.accept();
        });
        openDialog();
        QCOMPARE(session().recipe().outlets.size(), std::size_t(1));
        QCOMPARE(session().undoText(), QStringLiteral("outputs"));
        // Nobody there: said, and taken all the same.
        whenDialog<OutputsDialog>([&](OutputsDialog& d) {
            peer.close();
            QTest::mouseClick(d.findChild<QPushButton*>(QStringLiteral("sendItem")), Qt::LeftButton);
            QTRY_VERIFY_WITH_TIMEOUT(d.findChild<QLabel*>(QStringLiteral("outputState"))
                                             ->text()
                                             .contains(QStringLiteral("cannot connect")) ||
                                         d.findChild<QLabel*>(QStringLiteral("outputState"))
                                             ->text()
                                             .contains(QStringLiteral("nobody answers")),
                                     8000);
            d.reject();
        });
        openDialog();
    }
    void theTableShowsWhatStandsThere()
    {
        whenDialog<OutputsDialog>([&](OutputsDialog& d) {
            addBy(d, "add_modbus");
            auto* table = d.findChild<QTableWidget*>(QStringLiteral("registers"));
            QVERIFY(table->isVisible() && table->rowCount() > 30);
            const double width = session().currentItem()->check("width", "distance")->values[0];
            bool seen = false, verdict = false;
            for (int r = 0; r < table->rowCount(); ++r) {
                const QString meaning = table->item(r, 3)->text(), now = table->item(r, 4)->text();
                if (meaning.startsWith(QStringLiteral("Width ·")) &&
                    table->item(r, 2)->text() == QStringLiteral("float32"))
                    seen = std::abs(now.toDouble() - width) < 0.001;
                if (meaning.startsWith(QStringLiteral("verdict ·"))) verdict = now == QStringLiteral("1");
            }
            QVERIFY(seen && verdict);
            // Elements of lists have registers as many as are asked for.
            const int before = table->rowCount();
            field<QSpinBox>(d, "elements")->setValue(0);
            QVERIFY(table->rowCount() < before);
            d.reject(); // nothing of it is kept
        });
        openDialog();
        QCOMPARE(session().recipe().outlets.size(), std::size_t(1));
    }
    void theLineTellsWhatWasReleased()
    {
        QTcpServer peer;
        QVERIFY(peer.listen(QHostAddress::LocalHost, quint16(session().recipe().outlets[0].text.port)));
        QVERIFY(m_window->runPage()->release(QStringLiteral("A. Person")).has_value());
        m_window->showWorkspace(1);
        for (int i = 0; i < 6; ++i) m_window->runPage()->takeOne();
        QTRY_VERIFY_WITH_TIMEOUT(m_window->runPage()->itemCount() >= 6, 20000);
        QTRY_VERIFY(peer.hasPendingConnections());
        std::unique_ptr<QTcpSocket> socket(peer.nextPendingConnection());
        const QList<QByteArray> lines = readAll(*socket, 6).trimmed().split('\n');
        QCOMPARE(lines.size(), 6);
        for (const QByteArray& line : lines) QVERIFY(line.startsWith("accept ") || line.startsWith("reject "));
        // Without outputs nobody is told any more.
        m_window->showWorkspace(0);
        session().change("none", [](recipe::Recipe& r) { r.outlets.clear(); });
        QVERIFY(m_window->runPage()->release(QStringLiteral("A. Person")).has_value());
        m_window->runPage()->takeOne();
        QTRY_VERIFY_WITH_TIMEOUT(m_window->runPage()->itemCount() >= 7, 20000);
        QTest::qWait(300);
        QVERIFY(socket->readAll().isEmpty());
    }
    // A simulated camera on the loopback is chosen as source, feeds an item, and goes away without harm.
    void aCameraFeedsTheLine()
    {
        QProcess world;
        world.start("arv-fake-gv-camera-0.8", {"-i", "127.0.0.1", "-s", "SIM2"});
        QVERIFY2(world.waitForStarted(5000), "the camera simulator (aravis-tools) is needed");
        QElapsedTimer since;
        since.start();
        while (camera::cameras().empty() && since.elapsed() < 15000) QTest::qWait(100); // it takes its time to answer
        session().change("camera", [](recipe::Recipe& r) { r.camera.trigger = "software"; });
        QVERIFY(m_window->runPage()->release(QStringLiteral("A. Person")).has_value());
        m_window->showWorkspace(1);
        auto* source = m_window->findChild<QComboBox*>(QStringLiteral("source"));
        source->setCurrentIndex(3);
        const auto before = m_window->runPage()->itemCount();
        // A picture that comes incomplete on a busy machine is no item; another one is taken then.
        for (int i = 0; i < 6 && m_window->runPage()->itemCount() == before; ++i) {
            m_window->runPage()->takeOne();
            waitFor([&] { return m_window->runPage()->itemCount() > before; }, 8000);
        }
        QVERIFY(m_window->runPage()->itemCount() > before);
        auto log = records::RecordLog::open(m_window->runPage()->logPath());
        QVERIFY(log.has_value());
        const auto items = (*log)->items({});
        QVERIFY(items.has_value() && !items->empty());
        QVERIFY2(items->front().picture.contains(QStringLiteral("SIM2")), qPrintable(items->front().picture));
        QCOMPARE(items->front().verdict, QStringLiteral("reject")); // there is no plate
        // Standing at it: the line lets go of it, its live picture comes, and its exposure is found.
        m_window->showWorkspace(0);
        whenDialog<CameraDialog>([&](CameraDialog& d) {
            auto* from = d.findChild<QComboBox*>("liveSource");
            QVERIFY(waitFor([&] { return from->count() > 1; }, 15000));
            QVERIFY(from->itemText(1).contains("SIM2"));
            QVERIFY(waitFor([&] { return d.frames() >= 3; }, 30000));
            click(d.findChild<QPushButton*>("autoExposure"));
            QVERIFY(waitFor([&] { return !d.exposing(); }, 60000));
            const auto found = session().recipe().camera.exposure;
            QVERIFY2(found && *found >= 10, qPrintable(d.findChild<QLabel*>("cameraState")->text()));
            d.reject();
        });
        m_window->findChild<QAction*>(QStringLiteral("camera"))->trigger();
        world.kill();
        QVERIFY(world.waitForFinished(5000));
        source->setCurrentIndex(0);
        m_window->runPage()->takeOne();
        QTRY_VERIFY_WITH_TIMEOUT(m_window->runPage()->itemCount() >= before + 2, 20000);
        m_window->showWorkspace(0);
    }
    void aRobotsFrameIsStatedByPairs()
    {
        session().setTrial(0);
        QVERIFY(settled() && session().currentItem() && session().currentItem()->pose);
        whenDialog<RobotDialog>([&](RobotDialog& d) {
            auto* table = d.findChild<QTableWidget*>("robotPairs");
            auto* state = d.findChild<QLabel*>("robotState");
            const auto pair = [&](std::array<const char*, 4> numbers) {
                click(d.findChild<QPushButton*>("addPair"));
                for (int c = 0; c < 4; ++c) table->item(table->rowCount() - 1, c + 1)->setText(numbers[std::size_t(c)]);
            };
            pair({"0", "0", "100", "50"});
            QVERIFY(state->text().contains("two pairs"));
            pair({"1000", "0", "150", "x"});
            QVERIFY2(state->text().contains("\"x\" is not a number"), qPrintable(state->text()));
            table->item(1, 4)->setText("50");
            QVERIFY2(state->text().contains("residual 0.000 mm"), qPrintable(state->text()));
            pair({"0", "1000", "100", "0.3"});
            d.findChild<QComboBox*>("robotMirrored")->setCurrentIndex(0);
            QVERIFY2(state->text().contains("residual 0.0") && !state->text().contains("residual 0.000"),
                     qPrintable(state->text()));
            QVERIFY(table->item(2, 5)->text().toDouble() > 0.01);
            QVERIFY(state->text().contains("the item in view: x "));
            d.accept();
        });
        clickMenu(*m_window, "Edit", "robot");
        QCOMPARE(session().recipe().robot.pairs.size(), std::size_t(3));
        const auto map = recipe::robotMap(session().recipe());
        QVERIFY(map && map->mirrored);
        session().undo();
        QVERIFY(session().recipe().robot.pairs.empty());
    }
    // The recipe gets a Modbus table on a port nobody uses.
    int giveTable()
    {
        QTcpServer free;
        if (!free.listen(QHostAddress::LocalHost)) qFatal("no port");
        const int port = free.serverPort();
        free.close();
        session().change("table", [&](recipe::Recipe& r) {
            recipe::Outlet o;
            o.kind = recipe::Outlet::Kind::Registers, o.name = "Table", o.registers.port = port;
            r.outlets = {o};
            r.camera = {};
        });
        return port;
    }
    // After the power came back nobody clicks: what was released runs, its outputs stand, a trigger takes the source of
    // last time.
    void aWindowThatStartsAnewAnswersAController()
    {
        const int port = giveTable();
        QVERIFY(m_window->runPage()->release(QStringLiteral("A. Person")).has_value());
        auto* source = m_window->findChild<QComboBox*>(QStringLiteral("source"));
        source->setCurrentIndex(1);
        emit source->activated(1);
        m_window->runPage()->takeOne();
        QTRY_VERIFY_WITH_TIMEOUT(m_window->runPage()->itemCount() >= 1, 20000);
        const QString recipe = session().path(), data = QFileInfo(m_window->runPage()->logPath()).absolutePath();
        session().forgetRecovery();
        m_window.reset();
        m_window = openWindow(data);
        QVERIFY(m_window->openRecipe(recipe));
        QVERIFY(settled());
        QCOMPARE(m_window->findChild<QComboBox*>(QStringLiteral("source"))->currentIndex(), 1);
        QProcess master;
        master.start("mbpoll", {"-1", "-0", "-t", "0", "-r", "0", "-p", QString::number(port), "127.0.0.1", "1"});
        QVERIFY(waitFor([&] { return master.state() == QProcess::NotRunning; }, 20000));
        QCOMPARE(master.exitCode(), 0);
        QTRY_COMPARE_WITH_TIMEOUT(m_window->runPage()->itemCount(), 1LL, 20000);
        session().change("none", [](recipe::Recipe& r) { r.outlets.clear(); });
        QVERIFY(m_window->runPage()->release(QStringLiteral("A. Person")).has_value());
    }
    // Variants of what was released are chosen by a controller, by number, from the next item on.
    void aControllerChoosesTheVariant()
    {
        const int port = giveTable();
        session().toVariant("first", [](const recipe::Recipe& r) { return recipe::withVariantNamed(r, "A long one"); });
        session().toVariant("second", [](const recipe::Recipe& r) { return recipe::withNewVariant(r, "B short one"); });
        QVERIFY(waitFor([&] { return session().settled(); }));
        session().setLimits("width", "distance", *recipe::parseLimits("20 .. 21", base::Unit::Millimetre), false);
        auto* run = m_window->runPage();
        QVERIFY(run->release(QStringLiteral("A. Person")).has_value());
        QCOMPARE(run->lamps()->state("Table"), Lamps::State::Well);
        m_window->showWorkspace(1);
        m_window->findChild<QComboBox*>(QStringLiteral("source"))->setCurrentIndex(0);
        const auto takes = [&] {
            const auto before = run->itemCount();
            run->takeOne();
            QVERIFY(waitFor([&] { return run->itemCount() > before; }, 20000));
        };
        takes();
        const auto log = records::RecordLog::open(run->logPath());
        const auto widthHigh = [&] {
            const auto values = (*log)->values((*log)->items({})->front().id).value();
            for (const auto& v : values)
                if (v.step == "width") return v.high.value_or(0);
            return 0.0;
        };
        QVERIFY(std::abs(widthHigh() - 21) < 1e-9);
        const auto choose = [&](int n) {
            QProcess master;
            master.start("mbpoll", {"-1", "-0", "-t", "4", "-r", "1", "-p", QString::number(port), "127.0.0.1",
                                    QString::number(n)});
            QVERIFY(waitFor([&] { return master.state() == QProcess::NotRunning; }, 20000));
            QCOMPARE(master.exitCode(), 0);
        };
        choose(1);
        QVERIFY(waitFor([&] { return run->released()->recipe().variant == "A long one"; }));
        takes();
        QVERIFY(std::abs(widthHigh() - 26.05) < 1e-9);
        QVERIFY(run->differences().isEmpty()); // what is edited is the other one, and as released
        choose(7);                             // there is none: it stays
        takes();
        QVERIFY(std::abs(widthHigh() - 26.05) < 1e-9);
        const auto events = (*log)->events().value();
        QVERIFY(std::any_of(events.begin(), events.end(), [](const auto& e) {
            return e.what == "chosen" && e.by == "controller" && e.after == "A long one";
        }));
        QCOMPARE((*log)->lastRelease().value()->recipe().variant, std::string("A long one"));
        m_window->showWorkspace(0);
        session().change("none", [](recipe::Recipe& r) { r.outlets.clear(); });
        QVERIFY(run->release(QStringLiteral("A. Person")).has_value());
    }
    // An output that cannot be is no release.
    void aPatternThatFitsNoStepIsNotReleased()
    {
        session().change("wrong", [](recipe::Recipe& r) {
            recipe::Outlet o;
            o.name = "Peer", o.text.pattern = "{Nobody}";
            r.outlets = {o};
        });
        const auto refused = m_window->runPage()->release(QStringLiteral("A. Person"));
        QVERIFY(!refused.has_value());
        QVERIFY2(refused.error().text().find("Peer") != std::string::npos, refused.error().text().c_str());
        session().undo();
    }
};

QTEST_MAIN(ControlWindowTest)
#include "control_window_test.moc"
