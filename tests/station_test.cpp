#include "station/run_loop.h"
#include "support.h"

#include <QProcess>
#include <QSignalSpy>
#include <csignal>
#include <unistd.h>

using namespace station;

namespace
{
std::unique_ptr<PictureSource> simulated()
{
    return std::make_unique<SimulatedSource>([](int n) { return demo::plate(support::smallField(), 3, n).picture; });
}
std::shared_ptr<const inspect::Prepared> demoRecipe(const QString& path)
{
    return std::make_shared<const inspect::Prepared>(*inspect::Prepared::make(*recipe::load(path.toStdString())));
}
} // namespace

class StationTest : public QObject
{
    Q_OBJECT
    QTemporaryDir m_dir;
    QString m_recipe;
private slots:
    void initTestCase() { m_recipe = QString::fromStdString(support::writeDemo(m_dir, 4)); }

    void takeOneStartAndStop()
    {
        RunLoop loop;
        QSignalSpy items(&loop, &RunLoop::logged);
        loop.setRecipe(demoRecipe(m_recipe));
        loop.setSource(simulated());
        loop.setLog(m_dir.filePath("a.sqlite"), m_dir.filePath("a.csv"));
        loop.setBatch("lot 7");
        loop.takeOne();
        QVERIFY(items.wait(20000));
        QTest::qWait(150);
        QCOMPARE(int(items.size()), 1);
        loop.startRunning();
        QVERIFY(support::waitFor([&] { return items.size() >= 5; }));
        loop.stopRunning();
        QVERIFY(!loop.running());
        const auto n = support::atRest([&] { return items.size(); }); // it does come to rest

        const auto log = records::RecordLog::open(m_dir.filePath("a.sqlite"));
        QCOMPARE((*log)->counts({})->items, (long long)(n));
        QCOMPARE((*log)->items({})->front().batch, QString("lot 7"));
        QCOMPARE(int(QString::fromStdString(*base::readFile(m_dir.filePath("a.csv").toStdString())).count('\n')), int(n) + 1);
    }
    void theRateIsHeld()
    {
        RunLoop loop;
        QSignalSpy items(&loop, &RunLoop::logged);
        loop.setRecipe(demoRecipe(m_recipe));
        loop.setSource(simulated());
        loop.setPause(60000);
        loop.startRunning();
        QVERIFY(items.wait(20000));
        QVERIFY(!items.wait(400)); // the next one is due in a minute
        loop.stopRunning();
        loop.takeOne(); // a hand's trigger does not wait
        QVERIFY(items.wait(20000));
    }
    void aFolderEndsAndBadPicturesAreSaid()
    {
        QTemporaryDir folder;
        QVERIFY(QFile::copy(m_dir.filePath("plate-001.png"), folder.filePath("1.png")));
        (void)base::realFiles().write(folder.filePath("2.png").toStdString(), "no picture");
        QVERIFY(QFile::copy(m_dir.filePath("plate-003.png"), folder.filePath("3.png")));
        RunLoop loop;
        QSignalSpy items(&loop, &RunLoop::logged), trouble(&loop, &RunLoop::trouble);
        loop.setRecipe(demoRecipe(m_recipe));
        loop.setSource(std::move(*ListSource::folder(folder.path().toStdString(), false)));
        loop.startRunning();
        QVERIFY(support::waitFor([&] { return !loop.running(); }));
        QTest::qWait(50);
        QCOMPARE(int(items.size()), 2); // the rest is still inspected
        QCOMPARE(int(trouble.size()), 2);
        QVERIFY(trouble[0][1].toString().contains("2.png"));
        QVERIFY(trouble[1][1].toString().contains("no more pictures"));
    }
    void foldersThatDoNotServeAreSaid()
    {
        QTemporaryDir empty;
        const auto none = ListSource::folder(empty.path().toStdString(), false), gone = ListSource::folder("/no/such/folder", false);
        QVERIFY(!none && none.error().message.find("holds no picture") != std::string::npos);
        QVERIFY(!gone && gone.error().where == "/no/such/folder");
    }
    void aLogThatCannotBeWrittenIsSaidAndTheLineGoesOn()
    {
        RunLoop loop;
        QSignalSpy items(&loop, &RunLoop::logged), trouble(&loop, &RunLoop::trouble);
        loop.setRecipe(demoRecipe(m_recipe));
        loop.setSource(simulated());
        loop.setLog("/proc/none/records.sqlite", {});
        loop.takeOne();
        QVERIFY(items.wait(20000));
        QVERIFY(!trouble.isEmpty() && trouble[0][0].toString() == "records");
        QVERIFY(items[0][0].value<RunItem>().records.empty()); // and it is not shown as logged
    }
    // kill -9 during Run: every item shown as logged is in the log.
    void whatWasShownAsLoggedSurvivesAKill()
    {
        const QString path = m_dir.filePath("killed.sqlite");
        QProcess child;
        child.setProcessChannelMode(QProcess::ForwardedErrorChannel);
        child.start(QCoreApplication::applicationFilePath(), {"--run-for-ever", m_recipe, path});
        QVERIFY(child.waitForStarted());
        long long shown = 0;
        QByteArray all;
        while (shown < 12) {
            QVERIFY(child.waitForReadyRead(30000));
            all += child.readAll();
            shown = all.left(all.lastIndexOf('\n')).split('\n').back().toLongLong();
        }
        ::kill(pid_t(child.processId()), SIGKILL);
        child.waitForFinished();
        all += child.readAll();
        const auto log = records::RecordLog::open(path);
        QVERIFY(log);
        std::set<long long> there;
        const auto rows = (*log)->items({{}, {}, 1000000});
        for (const auto& row : *rows) there.insert(row.id);
        for (const QByteArray& line : all.left(all.lastIndexOf('\n')).split('\n')) QVERIFY2(there.count(line.toLongLong()), line.constData());
    }
};

int main(int argc, char** argv)
{
    QCoreApplication application(argc, argv);
    if (argc == 4 && QString(argv[1]) == "--run-for-ever") { // the child that is killed: shows what is logged
        RunLoop loop;
        loop.setRecipe(demoRecipe(argv[2]));
        loop.setSource(simulated());
        loop.setLog(argv[3], {});
        QObject::connect(&loop, &RunLoop::logged, &application, [](const RunItem& item) {
            for (const long long id : item.records) {
                const std::string line = std::to_string(id) + "\n";
                if (::write(1, line.data(), line.size()) < 0) QCoreApplication::exit(1);
            }
        });
        loop.startRunning();
        return application.exec();
    }
    StationTest test;
    return QTest::qExec(&test, argc, argv);
}
#include "station_test.moc"
