// A short run of the fuzz program; the long one is bench/fuzz_steps.
#include "fuzz.h"

class FuzzTest : public QObject
{
    Q_OBJECT
private slots:
    void everyKindGivesAResultOrAReason()
    {
        for (const recipe::StepKind& kind : recipe::allStepKinds())
            for (std::uint64_t n = 0; n < 60; ++n) {
                const std::string broken = fuzz::once(kind, 1000 + n);
                QVERIFY2(broken.empty(), (kind.key + ", seed " + std::to_string(1000 + n) + ": " + broken).c_str());
            }
    }
};
QTEST_APPLESS_MAIN(FuzzTest)
#include "fuzz_test.moc"
