#include "base/files.h"
#include "base/parallel.h"
#include "base/text.h"
#include "base/unit.h"

#include <QtTest>
#include <map>
#include <sys/stat.h>
#include <unistd.h>

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
    void contentHasAName() // FIPS 180-4's own examples
    {
        QCOMPARE(sha256("abc"), std::string("ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad"));
        QCOMPARE(sha256(""), std::string("e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855"));
    }
    void bytesThatAreNoTextAreReplaced()
    {
        for (const char* text : {"", "plain", "µm ± 0,05", "\xF0\x9F\x94\xA7"})
            QVERIFY(isUtf8(text) && toUtf8(text) == text);
        // Cut off, overlong, a surrogate, beyond the last character, a lone continuation.
        for (const char* bytes : {"\xC2", "\xC0\xAF", "\xED\xA0\x80", "\xF4\x90\x80\x80", "a\x80z"}) {
            QVERIFY(!isUtf8(bytes));
            QVERIFY(isUtf8(toUtf8(bytes)));
        }
        QCOMPARE(toUtf8("a\x80z"), std::string("a\xEF\xBF\xBDz"));
    }
    void linesAreAddedWhole()
    {
        QTemporaryDir dir;
        const std::string path = dir.filePath("t.csv").toStdString();
        FileSystem& files = realFiles();
        QVERIFY(files.append(path, "head\n", "one\n") && files.append(path, "head\n", "two\n") &&
                files.append(path, "head\n", ""));
        QCOMPARE(*readFile(path), std::string("head\none\ntwo\n"));
        QVERIFY(files.write(path, "head\none\ntw"));
        QVERIFY(files.append(path, "head\n", "three\n")); // what was cut off goes
        QCOMPARE(*readFile(path), std::string("head\none\nthree\n"));
        QVERIFY(files.write(path, "head\none\ntwo"));
        QVERIFY(files.append(path, "head\n", "three\n", [](const std::string& line) { return line == "two"; }));
        QCOMPARE(*readFile(path), std::string("head\none\ntwo\nthree\n"));
        const auto other = files.append(path, "another head\n", "x\n");
        QVERIFY(!other && other.error().code == ErrorCode::InvalidArgument &&
                *readFile(path) == "head\none\ntwo\nthree\n");
        QVERIFY(!files.append(dir.path().toStdString(), "head\n", "x\n") && !files.append("/proc/none/x", "", "x\n"));
    }
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
        QVERIFY(!missing && missing.error().code == ErrorCode::NotFound &&
                missing.error().where.find("none") != std::string::npos);
        const auto folder = readFile(dir.path().toStdString());
        QVERIFY(!folder && folder.error().message.find("folder") != std::string::npos);
        QVERIFY(!writeAtomic(realFiles(), dir.filePath("no/such/folder/x").toStdString(), "x"));
    }
    void onlyRegularFilesAreRead()
    {
        QTemporaryDir dir;
        const std::string pipe = dir.filePath("pipe").toStdString();
        QCOMPARE(::mkfifo(pipe.c_str(), 0600), 0);
        for (const std::string& path :
             {pipe, std::string("/dev/zero"), std::string("/dev/null"), dir.path().toStdString()}) {
            QElapsedTimer clock;
            clock.start();
            const auto r = readFile(path);
            QVERIFY2(!r && r.error().message.find("a regular file is expected") != std::string::npos &&
                         r.error().where == path,
                     path.c_str());
            QVERIFY(clock.elapsed() < 20000); // a pipe nobody writes to is not waited for
        }
        const std::string large = dir.filePath("large").toStdString();
        QVERIFY(writeAtomic(realFiles(), large, std::string(1000, 'x')));
        const auto r = readFile(large, 999);
        QVERIFY(!r && r.error().code == ErrorCode::OutOfRange &&
                r.error().message == "the file has 1000 bytes; at most 999 are read");
        QVERIFY(readFile(large, 1000));
    }
    void writingKeepsLinksModesAndWhatIsBeside()
    {
        QTemporaryDir dir;
        const auto at = [&](const char* leaf) { return dir.filePath(leaf).toStdString(); };
        const auto mode = [](const std::string& path) {
            struct stat s {
            };
            return ::stat(path.c_str(), &s) == 0 ? int(s.st_mode & 07777) : -1;
        };
        QVERIFY(writeAtomic(realFiles(), at("secret"), "old"));
        QCOMPARE(::chmod(at("secret").c_str(), 0600), 0);
        QVERIFY(writeAtomic(realFiles(), at("secret"), "new"));
        QCOMPARE(mode(at("secret")), 0600);
        QCOMPARE(*readFile(at("secret")), std::string("new"));
        // A link stays one; its target is written, also a target that is not there yet.
        QCOMPARE(::symlink("secret", at("link").c_str()), 0);
        QVERIFY(writeAtomic(realFiles(), at("link"), "through"));
        QVERIFY(QFileInfo(dir.filePath("link")).isSymLink());
        QCOMPARE(*readFile(at("secret")), std::string("through"));
        QCOMPARE(::symlink("fresh", at("dangling").c_str()), 0);
        QVERIFY(writeAtomic(realFiles(), at("dangling"), "made"));
        QCOMPARE(*readFile(at("fresh")), std::string("made"));
        QCOMPARE(::symlink("b", at("a").c_str()), 0);
        QCOMPARE(::symlink("a", at("b").c_str()), 0);
        QVERIFY(!writeAtomic(realFiles(), at("a"), "x"));
        // A file planted beside under a name that could be guessed is neither followed nor taken.
        QCOMPARE(::symlink("victim", at("out.part").c_str()), 0);
        QVERIFY(writeAtomic(realFiles(), at("victim"), "untouched"));
        QVERIFY(writeAtomic(realFiles(), at("out"), "written"));
        QCOMPARE(*readFile(at("victim")), std::string("untouched"));
        QVERIFY(QFileInfo(dir.filePath("out.part")).isSymLink());
        // What is no regular file stays what it is; a character device is written as it is.
        QCOMPARE(::mkfifo(at("pipe").c_str(), 0600), 0);
        const auto refused = writeAtomic(realFiles(), at("pipe"), "x");
        QVERIFY(!refused && refused.error().message.find("a named pipe") != std::string::npos);
        QVERIFY(writeAtomic(realFiles(), "/dev/null", "x"));
        struct stat s {
        };
        QVERIFY(::stat("/dev/null", &s) == 0 && S_ISCHR(s.st_mode));
        const auto full = writeAtomic(realFiles(), "/dev/full", "x");
        QVERIFY(!full && full.error().message.find("No space left") != std::string::npos);
        // the planted one alone
        QCOMPARE(dir.isValid()
                     ? QDir(dir.path()).entryList({"*.part"}, QDir::Files | QDir::Hidden | QDir::System).size()
                     : 0,
                 1);
        QVERIFY(sameFile(at("link"), at("secret")) && !sameFile(at("out"), at("secret")) &&
                !sameFile(at("none"), at("none")));
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
