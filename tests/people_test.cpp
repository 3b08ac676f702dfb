// Who may do what: PINs are kept as hashes, wrong ones lock, an administrator always remains, no file opens by accident.
#include "people/people.h"
#include "support.h"

#include <QFile>

using namespace people;

// Files that can be read and not written when asked.
class Full : public base::FileSystem
{
public:
    bool full = false;
    base::Result<std::string> read(const std::string& path) override { return base::realFiles().read(path); }
    base::Status write(const std::string& path, const std::string& bytes) override
    {
        if (full) return base::fail(base::ErrorCode::Io, "no space left on the device", path);
        return base::realFiles().write(path, bytes);
    }
    base::Status sync(const std::string& path) override { return base::realFiles().sync(path); }
    base::Status rename(const std::string& from, const std::string& to) override
    {
        return base::realFiles().rename(from, to);
    }
    base::Status remove(const std::string& path) override { return base::realFiles().remove(path); }
};

class PeopleTest : public QObject
{
    Q_OBJECT
    QTemporaryDir m_dir;
    std::string path(const char* leaf) const { return m_dir.filePath(QLatin1String(leaf)).toStdString(); }

private slots:
    void firstIsAnAdministratorAndOneRemains()
    {
        auto p = People::load(base::realFiles(), path("first.json"));
        QVERIFY(p && !p->any());
        QVERIFY(!p->add("Ana", Role::Operator, "1234"));
        QVERIFY(!p->any());
        QVERIFY(p->add("Ana", Role::Administrator, "1234"));
        QVERIFY(p->add("Ben", Role::Operator, "2345"));
        QVERIFY(!p->setRole("Ana", Role::Engineer));
        QVERIFY(!p->remove("Ana"));
        QCOMPARE(p->find("Ana")->role, Role::Administrator);
        QVERIFY(!p->add("Ben", Role::Engineer, "9999"));
        QVERIFY(!p->add("", Role::Engineer, "9999"));
        QVERIFY(!p->add("Cara", Role::Engineer, "999"));
        QVERIFY(!p->add("Cara", Role::Engineer, std::string(33, '9')));
        QVERIFY(p->setRole("Ben", Role::Administrator) && p->remove("Ana") && !p->find("Ana"));
        QVERIFY(!p->setSignOutMinutes(-1) && !p->setSignOutMinutes(1441) && p->setSignOutMinutes(3));
        const auto again = People::load(base::realFiles(), path("first.json"));
        QVERIFY(again && again->persons().size() == 1 && again->signOutMinutes() == 3);
    }

    void pinIsNowhereAndSignsIn()
    {
        auto p = People::load(base::realFiles(), path("pin.json"));
        QVERIFY(p->add("Ana", Role::Administrator, "86420975"));
        QVERIFY(p->add("Ben", Role::Engineer, "86420975"));
        const auto bytes = base::readFile(path("pin.json"));
        QVERIFY(bytes && bytes->find("86420975") == std::string::npos);
        QVERIFY(bytes->find("$argon2id$") != std::string::npos);
        QVERIFY(p->find("Ana")->hash != p->find("Ben")->hash); // each with a salt of its own
        QCOMPARE(QFile(QString::fromStdString(path("pin.json"))).permissions() &
                     (QFile::ReadGroup | QFile::ReadOther | QFile::WriteGroup | QFile::WriteOther),
                 QFile::Permissions());
        QCOMPARE(p->signIn("Ben", "86420975", 1000).value(), Role::Engineer);
        QVERIFY(!p->signIn("Ben", "86420976", 1000));
        QVERIFY(!p->signIn("Ben", "", 1000));
        QVERIFY(!p->signIn("Nobody", "86420975", 1000));
        QVERIFY(p->setPin("Ben", "1111"));
        QVERIFY(!p->signIn("Ben", "86420975", 1000) && p->signIn("Ben", "1111", 1000));
    }

    void fiveWrongOnesLockForAWhile()
    {
        auto p = People::load(base::realFiles(), path("lock.json"));
        QVERIFY(p->add("Ana", Role::Administrator, "1234"));
        QVERIFY(p->add("Ben", Role::Operator, "1234"));
        for (int i = 0; i < kMostWrong; ++i) {
            // Started anew each time: what was counted is on disk.
            p = People::load(base::realFiles(), path("lock.json"));
            QVERIFY(!p->signIn("Ben", "0000", 5000));
        }
        QVERIFY(!p->signIn("Ben", "1234", 5001));
        QVERIFY(!p->signIn("Ben", "1234", 5000 + kLockSeconds - 1));
        QVERIFY(p->signIn("Ana", "1234", 5001)); // the others are not locked
        QVERIFY(p->signIn("Ben", "1234", 5000 + kLockSeconds));
        for (int i = 0; i < kMostWrong - 1; ++i) QVERIFY(!p->signIn("Ben", "0000", 9000));
        QVERIFY(p->signIn("Ben", "1234", 9000)); // a right one begins the count anew
        for (int i = 0; i < kMostWrong - 1; ++i) QVERIFY(!p->signIn("Ben", "0000", 9000));
        QVERIFY(p->signIn("Ben", "1234", 9000));
    }

    void brokenFileOpensNothing()
    {
        for (const char* text : {"", "{", "[]", "{\"format\":\"dikkat-people\",\"version\":1}",
                                 "{\"format\":\"dikkat-people\",\"version\":2,\"people\":[]}",
                                 "{\"format\":\"dikkat-people\",\"version\":1,\"people\":[{\"name\":\"A\",\"role\":"
                                 "\"operator\",\"pin\":\"x\"}]}",
                                 "{\"format\":\"dikkat-people\",\"version\":1,\"people\":[{\"name\":\"A\",\"role\":"
                                 "\"king\",\"pin\":\"x\"}]}"}) {
            QVERIFY(base::realFiles().write(path("broken.json"), text));
            const auto p = People::load(base::realFiles(), path("broken.json"));
            QVERIFY2(!p, text);
            QVERIFY(p.error().text().find("broken.json") != std::string::npos);
        }
    }

    void diskThatCannotBeWrittenLetsNobodyIn()
    {
        auto p = People::load(base::realFiles(), path("full.json"));
        QVERIFY(p->add("Ana", Role::Administrator, "1234"));
        Full files;
        auto q = People::load(files, path("full.json"));
        QVERIFY(q);
        files.full = true;
        QVERIFY(!q->signIn("Ana", "1234", 1000));
        QVERIFY(!q->add("Ben", Role::Operator, "1234") && !q->find("Ben"));
        files.full = false;
        QVERIFY(q->signIn("Ana", "1234", 1000));
    }

    void rights()
    {
        const bool wanted[4][4] = {{true, false, false, false},
                                   {true, true, false, false},
                                   {true, true, true, false},
                                   {true, true, true, true}};
        for (int role = 0; role < 4; ++role)
            for (int right = 0; right < 4; ++right) QCOMPARE(may(Role(role), Right(right)), wanted[role][right]);
    }
};

QTEST_GUILESS_MAIN(PeopleTest)
#include "people_test.moc"
