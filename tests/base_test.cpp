#include "base/files.h"
#include "base/parallel.h"
#include "base/unit.h"

#include <QtTest>
#include <map>

using namespace base;

// In memory; knows what was synced, fails the n-th operation, loses everything unsynced on a power cut.
class BrokenDisk : public FileSystem
{
public:
    int failAt = 0, seen = 0;
    bool tear = false;
    std::map<std::string, std::string> now, safe;

    Result<std::string> read(const std::string& p) override
    {
        if (!now.count(p)) return fail(ErrorCode::NotFound, "not there", p);
        return now[p];
    }
    Status write(const std::string& p, const std::string& b) override
    {
        if (broken()) {
            if (tear) now[p] = b.substr(0, b.size() / 2);
            return fail(ErrorCode::Io, "injected", p);
        }
        now[p] = b;
        return {};
    }
    Status sync(const std::string& p) override
    {
        if (broken()) return fail(ErrorCode::Io, "injected", p);
        safe = now; // the folder's entries too
        return {};
    }
    Status rename(const std::string& a, const std::string& b) override
    {
        if (broken()) return fail(ErrorCode::Io, "injected", b);
        now[b] = now[a];
        now.erase(a);
        return {};
    }
    Status remove(const std::string& p) override
    {
        now.erase(p);
        return {};
    }
    void powerCut() { now = safe; }

private:
    bool broken() { return ++seen == failAt; }
};

class BaseTest : public QObject
{
    Q_OBJECT
private slots:
    void unitsRoundTrip()
    {
        for (int u = 0; u < 8; ++u) QCOMPARE(int(*unitFrom(symbol(Unit(u)))), u);
        QVERIFY(unitFrom("mm2") == Unit::SquareMillimetre && unitFrom("deg") == Unit::Degree && !unitFrom("furlong"));
    }
    void areasScaleWithTheSquare()
    {
        QCOMPARE(calibrationFactor(Unit::Pixel, 0.05), 0.05);
        QCOMPARE(calibrationFactor(Unit::SquarePixel, 0.05), 0.05 * 0.05);
        QCOMPARE(calibrationFactor(Unit::Degree, 0.05), 1.0);
        QVERIFY(calibrated(Unit::SquarePixel) == Unit::SquareMillimetre && calibrated(Unit::None) == Unit::None);
    }
    void numbersAreWrittenPlainly()
    {
        QCOMPARE(toText(25.9821, Unit::Millimetre), std::string("25.982 mm"));
        QCOMPARE(toText(-0.0001, 2), std::string("0.00"));
        QCOMPARE(toText(-12.5, 1), std::string("-12.5"));
        QCOMPARE(toText(10, Unit::None), std::string("10"));
        QCOMPARE(toText(1.5, Unit::Degree), std::string("1.50°"));
        for (const double v : {0.1, 1.0 / 3, 26.001234567890123, 1e-300}) QCOMPARE(std::stod(shortest(v)), v);
    }
    void errorsSayWhere()
    {
        const Error e = Error{ErrorCode::Io, "full", "b"}.within("a");
        QCOMPARE(e.text(), std::string("a: b: full"));
    }
    // Whatever operation fails, and even when the power goes at once: the old bytes or the new ones, never a mixture.
    void atomicWriteLosesNothing()
    {
        int faults = 0;
        for (const bool tear : {false, true})
            for (int n = 1;; ++n) {
                BrokenDisk disk;
                disk.now["file"] = disk.safe["file"] = "old content";
                disk.failAt = n;
                disk.tear = tear;
                const auto done = writeAtomic(disk, "file", "new content, longer");
                const bool met = disk.seen >= n;
                faults += met;
                QVERIFY(disk.now["file"] == "old content" || disk.now["file"] == "new content, longer");
                disk.powerCut();
                if (done) QCOMPARE(disk.now["file"], std::string("new content, longer"));
                else QVERIFY(disk.now["file"] == "old content" || disk.now["file"] == "new content, longer");
                if (!met) break;
            }
        QVERIFY2(faults >= 6, "the loop really met faults");
    }
    void realFilesSayWhatIsWrong()
    {
        QTemporaryDir dir;
        const std::string path = dir.filePath("a.txt").toStdString();
        QVERIFY(writeAtomic(realFiles(), path, std::string("with\0zero", 9)));
        QCOMPARE(readFile(path)->size(), std::size_t(9));
        QVERIFY(!QFile::exists(QString::fromStdString(path) + ".part"));
        const auto missing = readFile(dir.filePath("none").toStdString());
        QVERIFY(!missing && missing.error().code == ErrorCode::NotFound && missing.error().where.find("none") != std::string::npos);
        const auto folder = readFile(dir.path().toStdString());
        QVERIFY(!folder && folder.error().message.find("folder") != std::string::npos);
        QVERIFY(!writeAtomic(realFiles(), dir.filePath("no/such/folder/x").toStdString(), "x"));
    }
    void parallelDoesEachOnce()
    {
        std::vector<std::atomic<int>> hits(1000);
        parallelFor(1000, 4, [&](int i) { ++hits[std::size_t(i)]; });
        for (auto& h : hits) QCOMPARE(h.load(), 1);
    }
};
QTEST_APPLESS_MAIN(BaseTest)
#include "base_test.moc"
