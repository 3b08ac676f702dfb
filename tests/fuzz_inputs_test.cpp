// A short run over spoilt inputs; bench/fuzz_inputs runs as many as are wanted.
#include "fuzz_inputs.h"

#include <QGuiApplication>
#include <QtTest>

class FuzzInputsTest : public QObject
{
    Q_OBJECT
private slots:
    void spoiltInputsAreTakenOrRefusedByName_data()
    {
        QTest::addColumn<int>("kind");
        QTest::addColumn<int>("count");
        QTest::newRow("pictures") << 0 << 6000;
        QTest::newRow("recipes") << 1 << 400;
        QTest::newRow("calibrations") << 2 << 1500;
        QTest::newRow("commands") << 3 << 300;
    }
    void spoiltInputsAreTakenOrRefusedByName()
    {
        QFETCH(int, kind);
        QFETCH(int, count);
        QTemporaryDir dir;
        QElapsedTimer clock;
        for (int n = 0; n < count; ++n) {
            clock.start();
            const std::string wrong = fuzz_inputs::kKinds[kind].one(std::uint64_t(n) + 1, dir.path().toStdString());
            QVERIFY2(wrong.empty(), (std::to_string(n + 1) + ": " + wrong).c_str());
            // far more than any takes; a hang is a failure
            QVERIFY2(clock.elapsed() < 60000, std::to_string(n + 1).c_str());
        }
    }
    void anInputIsTheSameForItsSeed()
    {
        QTemporaryDir dir;
        QVERIFY(fuzz_inputs::spoiltPicture(17, dir.path().toStdString()) ==
                fuzz_inputs::spoiltPicture(17, dir.path().toStdString()));
        QVERIFY(fuzz_inputs::spoiltPicture(17, dir.path().toStdString()) !=
                fuzz_inputs::spoiltPicture(18, dir.path().toStdString()));
    }
};
QTEST_MAIN(FuzzInputsTest)
#include "fuzz_inputs_test.moc"
