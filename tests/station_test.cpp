// The line: order, what each item belongs to, what is on disk when it is said to be, several programs on one log, and
// the end by force.
#include "base/text.h"
#include "failing_sqlite.h"
#include "recipe/differences.h"
#include "records/again.h"
#include "records/csv.h"
#include "station/station.h"
#include "station/tally.h"
#include "support_records.h"

#include <QProcess>
#include <atomic>
#include <csignal>
#include <sstream>
#include <sys/resource.h>
#include <unistd.h>

using namespace station;
using namespace std::chrono_literals;
using support::barPicture;
using support::recipeOf;
namespace fs = std::filesystem;

namespace
{
LinePtr lineOf(const recipe::Recipe& r, const std::string& batch = {}, records::Keep keep = records::Keep::None,
               const std::string& pictures = {})
{
    auto line = std::make_shared<Line>();
    recipe::Recipe plain = r;
    plain.name = "Bar"; // no comma, so that fields of the table are counted easily
    line->release = support::released(plain);
    line->batch = batch;
    line->keep = keep;
    line->pictures = pictures;
    return line;
}
std::shared_ptr<PictureSource> bars(int most = 1'000'000)
{
    class Bars : public SimulatedSource
    {
    public:
        explicit Bars(int m) : SimulatedSource([](int n) { return barPicture(n % 5 == 4, 60); }), m_left(m) {}
        std::optional<Shot> next(const image::Naming& naming) override
        {
            return m_left-- > 0 ? SimulatedSource::next(naming) : std::nullopt;
        }

    private:
        int m_left;
    };
    return std::make_shared<Bars>(most);
}
// What the line said, collected.
struct Heard {
    std::mutex mutex;
    std::vector<Logged> items;
    std::vector<std::pair<std::string, std::string>> troubles;
    std::atomic<int> ended{0};
    Station::Listener listener()
    {
        return {{},
                [this](const Logged& l) {
                    const std::lock_guard lock(mutex);
                    items.push_back(l);
                },
                [this](const std::string& what, const std::string& message) {
                    const std::lock_guard lock(mutex);
                    troubles.emplace_back(what, message);
                },
                {},
                [this](const std::string&) { ++ended; }};
    }
};
std::vector<std::unique_ptr<Sink>> sinksTo(const std::string& log, const std::string& csv,
                                           base::FileSystem& files = base::realFiles())
{
    std::vector<std::unique_ptr<Sink>> out;
    if (!log.empty()) out.push_back(std::make_unique<RecordSink>(log));
    if (!csv.empty()) out.push_back(std::make_unique<CsvSink>(files, [csv](const recipe::Recipe&) { return csv; }));
    return out;
}
// The real files, failing the n-th operation, once.
class FailingFiles : public base::FileSystem
{
public:
    std::atomic<int> failAt{0}, seen{0};
    base::Result<std::string> read(const std::string& p) override { return base::realFiles().read(p); }
    base::Status write(const std::string& p, const std::string& b) override
    {
        if (!broken()) return base::realFiles().write(p, b);
        (void)base::realFiles().write(p, b.substr(0, b.size() / 2));
        return injected(p);
    }
    base::Status sync(const std::string& p) override { return broken() ? injected(p) : base::realFiles().sync(p); }
    base::Status rename(const std::string& a, const std::string& b) override
    {
        return broken() ? injected(b) : base::realFiles().rename(a, b);
    }
    base::Status remove(const std::string& p) override { return base::realFiles().remove(p); }
    base::Result<Target> target(const std::string& p) override { return base::realFiles().target(p); }
    base::Result<std::string> beside(const std::string& p) override
    {
        if (broken()) return base::passOn(injected(p).error());
        return base::realFiles().beside(p);
    }
    base::Status append(const std::string& p, const std::string& head, const std::string& lines,
                        const Whole& whole) override
    {
        return broken() ? injected(p) : base::realFiles().append(p, head, lines, whole);
    }

private:
    bool broken() { return ++seen == failAt; }
    static base::Status injected(const std::string& p) { return base::fail(base::ErrorCode::Io, "no space left", p); }
};
int linesIn(const std::string& file)
{
    return int(QString::fromStdString(base::readFile(file).value_or("")).count('\n'));
}
} // namespace

class StationTest : public QObject
{
    Q_OBJECT
    QTemporaryDir m_dir;
    std::string path(const char* name) { return m_dir.filePath(name).toStdString(); }
private slots:
    void itemsComeInTheirOrderHoweverManyInspect()
    {
        Heard heard;
        {
            Station s(sinksTo(path("a.sqlite"), path("a.csv")), {}, heard.listener(), {3, 1});
            s.setLine(lineOf(recipeOf(), "lot 7"));
            s.setSource(bars(200));
            s.start();
            s.settle();
            const auto c = s.counts();
            QVERIFY(c.taken == 200 && c.logged == 200 && c.unsaved == 0 && c.unreadable == 0 && c.tooSlow == 0);
        }
        QCOMPARE(int(heard.items.size()), 200);
        long long last = 0;
        for (int i = 0; i < 200; ++i) {
            const Logged& l = heard.items[std::size_t(i)];
            QVERIFY(l.inspected.taken.number == std::uint64_t(i + 1) && l.saved);
            QCOMPARE(l.result().picture, "simulated-" + std::to_string(i + 1));
            QVERIFY(l.records.size() == 1 && l.records[0] > last);
            last = l.records[0];
            QCOMPARE(l.result().accepted(), i % 5 != 4);
        }
        const auto log = records::RecordLog::open(m_dir.filePath("a.sqlite"));
        QCOMPARE((*log)->counts({})->items, 200LL);
        QCOMPARE((*log)->items({})->front().batch, QString("lot 7"));
        QCOMPARE(linesIn(path("a.csv")), 201);
        QVERIFY(heard.troubles.empty() && heard.ended == 1);
    }
    void oneAtATimeAndTheRate()
    {
        Heard heard;
        Station s(sinksTo(path("one.sqlite"), ""), {}, heard.listener(), {1, 1});
        s.setLine(lineOf(recipeOf()));
        s.setSource(bars());
        s.takeOne();
        s.takeOne();
        s.settle();
        QCOMPARE(int(heard.items.size()), 2);
        s.setPause(60000);
        s.start(); // the next one is due in a minute
        QVERIFY(!s.settle(200ms));
        s.takeOne(); // a hand's trigger does not wait
        QVERIFY(support::waitFor([&] { return s.counts().logged == 3; }));
        s.stop();
        s.settle();
        QVERIFY(!s.running() && heard.items.size() == 3);
    }
    void whatWasTakenIsLoggedBeforeTheEnd()
    {
        Heard heard;
        {
            Station s(sinksTo(path("end.sqlite"), ""), {}, heard.listener(), {2, 1});
            s.setLine(lineOf(recipeOf()));
            s.setSource(bars());
            s.start();
            QVERIFY(support::waitFor([&] { return s.counts().logged > 20; }));
        } // ended while it runs
        const auto log = records::RecordLog::open(m_dir.filePath("end.sqlite"));
        QCOMPARE((*log)->counts({})->items, (long long)(heard.items.size()));
        QCOMPARE(heard.items.back().inspected.taken.number, std::uint64_t(heard.items.size()));
    }
    void picturesThatCannotBeReadAreRecordsToo()
    {
        QTemporaryDir folder;
        const std::string png = *image::encodePng(barPicture());
        (void)base::realFiles().write(folder.filePath("1.png").toStdString(), png);
        (void)base::realFiles().write(folder.filePath("2.png").toStdString(), "no picture");
        (void)base::realFiles().write(folder.filePath("3.png").toStdString(), png);
        Heard heard;
        Station s(sinksTo(path("bad.sqlite"), path("bad.csv")), {}, heard.listener(), {2, 1});
        s.setLine(lineOf(recipeOf()));
        s.setSource(*ListSource::folder(folder.path().toStdString(), ListSource::End::Stop));
        s.start();
        s.settle();
        QVERIFY(s.counts().logged == 3 && s.counts().unreadable == 1);
        const auto log = records::RecordLog::open(m_dir.filePath("bad.sqlite"));
        QCOMPARE((*log)->items({"error", {}, 10})->size(), std::size_t(1));
        QVERIFY((*log)->items({"error", {}, 10})->front().picture.endsWith("2.png"));
        QCOMPARE((*log)->items({"accept", {}, 10})->front().pictureHash.toStdString(), base::sha256(png));
        QCOMPARE(linesIn(path("bad.csv")), 4);
        bool said = false;
        for (const auto& [what, message] : heard.troubles)
            said = said || (what == "camera" && message.find("2.png") != std::string::npos);
        QVERIFY(said);
    }
    void folderIsPlayedBackAndForth()
    {
        QTemporaryDir folder;
        const std::string png = *image::encodePng(barPicture());
        for (const char* leaf : {"a.png", "b.png", "c.png"})
            (void)base::realFiles().write(folder.filePath(QLatin1String(leaf)).toStdString(), png);
        auto made = ListSource::folder(folder.path().toStdString(), ListSource::End::Stop);
        auto* source = static_cast<ListSource*>(made->get());
        const auto leafs = [&](int n) {
            std::string all;
            for (; n > 0; --n) {
                const auto shot = source->next({});
                all += shot ? fs::path(shot->id).filename().string() : std::string("none");
            }
            return all;
        };
        QCOMPARE(leafs(2), std::string("a.pngb.png"));
        source->seek(0);
        QCOMPARE(leafs(1), std::string("a.png"));
        source->seek(2);
        QCOMPARE(source->position(), std::size_t(2));
        QCOMPARE(leafs(2), std::string("c.pngnone"));
        source->setEnd(ListSource::End::Again);
        QCOMPARE(leafs(2), std::string("a.pngb.png"));
        source->seek(99);
        QCOMPARE(leafs(1), std::string("a.png")); // begins anew
    }
    void newPicturesAreTakenWhenTheyAreWhole()
    {
        QTemporaryDir folder;
        const std::string png = *image::encodePng(barPicture());
        const auto put = [&](const char* leaf, const std::string& bytes) {
            (void)base::realFiles().write(folder.filePath(QLatin1String(leaf)).toStdString(), bytes);
        };
        QVERIFY(!ListSource::folder(folder.path().toStdString(), ListSource::End::Stop));
        Heard heard;
        Station s(sinksTo(path("grows.sqlite"), {}), {}, heard.listener(), {1, 1});
        s.setLine(lineOf(recipeOf()));
        s.setSource(*ListSource::folder(folder.path().toStdString(), ListSource::End::Wait));
        s.start();
        put("1.png", png);
        QTRY_COMPARE_WITH_TIMEOUT(s.counts().logged, std::uint64_t(1), 5000);
        // Written in three goes with pauses longer than a picture stands still before it is taken.
        for (const std::size_t part : {png.size() / 3, 2 * png.size() / 3}) {
            put("2.png", png.substr(0, part));
            QTest::qWait(700);
        }
        QCOMPARE(s.counts().logged, std::uint64_t(1));
        put("2.png", png);
        QTRY_COMPARE_WITH_TIMEOUT(s.counts().logged, std::uint64_t(2), 5000);
        QTest::qWait(20);  // another time stamp
        put("1.png", png); // written anew: another item
        QTRY_COMPARE_WITH_TIMEOUT(s.counts().logged, std::uint64_t(3), 5000);
        QTest::qWait(700);
        s.stop();
        s.settle();
        QCOMPARE(s.counts().logged, std::uint64_t(3));
        QCOMPARE(s.counts().unreadable, std::uint64_t(0));
    }
    void captureOfTwoFilesWaitsForBoth()
    {
        QTemporaryDir folder;
        const std::string png = *image::encodePng(barPicture());
        const image::Naming naming{{"white", "{id}_w.png", {}}, {"red", "{id}_r.png", {}}};
        auto made = ListSource::folder(folder.path().toStdString(), ListSource::End::Wait);
        (void)base::realFiles().write(folder.filePath("7_w.png").toStdString(), png);
        QVERIFY((*made)->next(naming)->nothing());
        (void)base::realFiles().write(folder.filePath("7_r.png").toStdString(), png);
        const auto shot = (*made)->next(naming);
        QVERIFY(shot && shot->files.size() == 2 && !shot->error);
        QVERIFY((*made)->next(naming)->nothing());
    }
    void conveyorIsWhatItIsAskedToBe()
    {
        for (const char* wrong : {"speed=-1", "speed", "speed=9999", "sped=3", "faults=2", "dropped=x", "seed=1.5e10"})
            QVERIFY2(!Conveyor::parse(wrong), wrong);
        QVERIFY(Conveyor::parse("")->perMinute == 0 && Conveyor::parse("speed=120,faults=0.1")->faults == 0.1);
        std::vector<Passing> seen;
        const auto run = [&](const std::string& words, int parts, const recipe::CameraSettings& camera = {}) {
            seen.clear();
            ConveyorSource source(*Conveyor::parse(words), [&](const Passing& p) {
                seen.push_back(p);
                return barPicture();
            });
            recipe::Recipe r;
            r.camera = camera;
            source.prepare(r);
            std::vector<Shot> shots;
            while (int(seen.size()) < parts && shots.size() < (camera.exposure ? 3U : 400U))
                shots.push_back(*source.next({}));
            return std::pair(shots, source.dropped());
        };
        run("faults=0.25", 400);
        const auto faulty = std::count_if(seen.begin(), seen.end(), [](const Passing& p) { return p.faulty; });
        QVERIFY2(faulty > 60 && faulty < 145, qPrintable(QString::number(faulty)));
        const auto before = seen;
        run("faults=0.25", 400);
        for (std::size_t i = 0; i < 400; ++i)
            QCOMPARE(seen[i].faulty, before[i].faulty); // the same seed, the same parts
        run("drift=0.1", 200);
        QVERIFY(std::abs(seen[199].light - (1 - 0.1 * 0.199)) < 1e-9 && seen[0].light == 1);
        recipe::CameraSettings camera;
        camera.exposure = 1000, camera.gain = 20;
        run("belt=500", 1, camera);
        QVERIFY(std::abs(seen[0].light - 5) < 1e-9 && std::abs(seen[0].smearMm - 0.5) < 1e-9);
        camera.exposure = 5;
        const auto refused = run("", 1, camera).first;
        QVERIFY(seen.empty() && refused[0].error &&
                refused[0].error->message.find("20 .. 100000") != std::string::npos);
        QVERIFY(refused[1].nothing()); // said once
        // Parts come at their pace, a third of the triggers is lost.
        QElapsedTimer clock;
        clock.start();
        const auto [shots, lost] = run("speed=6000,dropped=0.33", 60);
        QVERIFY2(lost >= 15 && lost <= 55, qPrintable(QString::number(lost)));
        QVERIFY(clock.elapsed() >= (60 + qint64(lost) - 1) * 10);
        QCOMPARE(seen.back().number, 59 + int(lost));
    }
    void faultsBeginAndEndOnceAndStandInTheLog()
    {
        QTemporaryDir folder;
        const std::string png = *image::encodePng(barPicture());
        const char* leafs[] = {"1.png", "2.png", "3.png", "4.png"};
        for (const char* leaf : leafs)
            (void)base::realFiles().write(folder.filePath(QLatin1String(leaf)).toStdString(),
                                          leaf[0] == '2' || leaf[0] == '3' ? std::string("no picture") : png);
        Heard heard;
        std::vector<std::string> over;
        auto listener = heard.listener();
        std::mutex mutex;
        listener.over = [&](const std::string& what) {
            const std::lock_guard lock(mutex);
            over.push_back(what);
        };
        {
            Station s(sinksTo(path("faults.sqlite"), {}), {}, listener, {1, 1});
            s.setLine(lineOf(recipeOf()));
            s.setSource(*ListSource::folder(folder.path().toStdString(), ListSource::End::Stop));
            s.note({{}, "Ana", "batch", "B7", {}, {}, 0});
            s.start();
            s.settle();
        }
        QCOMPARE(over, std::vector<std::string>{"camera"});
        const auto log = records::RecordLog::open(m_dir.filePath("faults.sqlite"));
        const auto events = (*log)->events();
        QVERIFY(events);
        QStringList said;
        for (const auto& e : *events) said << e.what + QLatin1Char(' ') + e.subject;
        QCOMPARE(said, QStringList({"batch B7", "fault camera", "fault over camera"}));
        QVERIFY(events->at(1).after.contains("2.png"));
    }
    void eventsThatCannotBeWrittenAreWrittenLater()
    {
        const QString place = m_dir.filePath("away");
        Heard heard;
        {
            Station s(sinksTo((place + "/log.sqlite").toStdString(), {}), {}, heard.listener(), {1, 1});
            for (int i = 0; i < 5; ++i) s.note({{}, "Ana", "batch", QString::number(i), {}, {}, 0});
            QTest::qWait(300);
            QVERIFY(QDir().mkpath(place));
        }
        const auto events = (*records::RecordLog::open(place + "/log.sqlite"))->events();
        QCOMPARE(events->size(), std::size_t(5));
        for (std::size_t i = 0; i < 5; ++i) QCOMPARE(events->at(i).subject, QString::number(i));
    }
    void sourcesThatDoNotServeAreSaid()
    {
        QTemporaryDir empty;
        const auto none = ListSource::folder(empty.path().toStdString(), ListSource::End::Stop),
                   gone = ListSource::folder("/no/such/folder", ListSource::End::Stop);
        QVERIFY(!none && none.error().message.find("holds no picture") != std::string::npos);
        QVERIFY(!gone && gone.error().where == "/no/such/folder");
        const std::string list = path("list.txt");
        (void)base::realFiles().write(list, "# of the day\n\nx.png\r\n/abs/y.png\n");
        auto source = ListSource::list(list, false);
        QVERIFY(source);
        const auto first = (*source)->next({}), second = (*source)->next({});
        QVERIFY(first->id == path("x.png") && first->error && second->id == "/abs/y.png" && !(*source)->next({}));
        (void)base::realFiles().write(list, "# nothing\n");
        QVERIFY(ListSource::list(list, false).error().message.find("names no picture") != std::string::npos);
    }
    void aDeadLogIsSaidAndTheLineGoesOn()
    {
        Heard heard;
        Station s(sinksTo("/proc/none/records.sqlite", path("dead.csv")), {}, heard.listener(), {1, 1});
        s.setLine(lineOf(recipeOf()));
        s.setSource(bars(3));
        s.start();
        s.settle();
        QCOMPARE(s.counts().unsaved, std::uint64_t(3));
        // not shown as saved
        QVERIFY(heard.items.size() == 3 && heard.items[0].records.empty() && !heard.items[0].saved);
        QVERIFY(std::any_of(heard.troubles.begin(), heard.troubles.end(),
                            [](const auto& t) { return t.first == "records"; }));
        QCOMPARE(linesIn(path("dead.csv")), 4); // the table has them
    }
    void theLineStopsWhereTheRecipeSaysSo()
    {
        recipe::Recipe r = recipeOf();
        r.stopUnsaved = true;
        Heard heard;
        Station s(sinksTo(path("no/such/folder.sqlite"), {}), {}, heard.listener(), {1, 1});
        s.setLine(lineOf(r));
        s.setSource(std::make_shared<SimulatedSource>([](int) { return barPicture(); })); // never ends by itself
        s.start();
        QVERIFY(s.settle(std::chrono::milliseconds(20000)));
        QVERIFY(!s.running() && s.counts().unsaved == s.counts().taken && s.counts().taken < 40);
        QVERIFY(std::any_of(heard.troubles.begin(), heard.troubles.end(), [](const auto& t) {
            return t.first == "line" && t.second.find("says to stop") != std::string::npos;
        }));
    }
    // A source that has nothing yet is asked again as long as somebody wants something, and lets the line stop.
    void whatDoesNotComeIsWaitedForAndGivenUp()
    {
        class Late : public PictureSource
        {
        public:
            std::atomic<bool> there{false};
            std::atomic<int> asked{0}, prepared{0};
            std::string name() const override { return "late"; }
            void prepare(const recipe::Recipe&) override { ++prepared; }
            std::optional<Shot> next(const image::Naming&) override
            {
                ++asked;
                std::this_thread::sleep_for(5ms);
                if (!there) return Shot{};
                Shot shot;
                shot.id = "late";
                shot.ready = std::make_shared<const image::Capture>(support::captureOf(barPicture(false, 60)));
                return shot;
            }
        };
        const auto late = std::make_shared<Late>();
        Heard heard;
        Station station({}, {}, heard.listener(), {1, 1});
        station.setLine(lineOf(recipeOf()));
        station.setSource(late);
        station.takeOne();
        QVERIFY(!station.settle(100ms));
        QVERIFY(late->asked > 3 && heard.items.empty() && station.counts().taken == 0);
        late->there = true; // it comes, once
        QVERIFY(station.settle(5s));
        QCOMPARE(heard.items.size(), std::size_t(1));
        late->there = false;
        station.takeOne();
        QVERIFY(!station.settle(100ms));
        station.stop();
        QVERIFY(station.settle(5s));
        station.start();
        QVERIFY(!station.settle(60ms));
        station.stop();
        QVERIFY(station.settle(5s));
        QCOMPARE(heard.items.size(), std::size_t(1));
        QVERIFY(late->prepared >= 3 && heard.ended == 0);
    }
    void aLiveSourceLosesTheNewestAndCounts()
    {
        class Fast : public SimulatedSource
        {
        public:
            Fast() : SimulatedSource([](int) { return image::Image(); }) {}
            bool live() const override { return true; }
            std::optional<Shot> next(const image::Naming&) override
            {
                if (m_left-- == 0) return {};
                Shot shot;
                shot.ready = m_picture;
                shot.id = m_picture->id();
                return shot;
            }

        private:
            int m_left = 120;
            std::shared_ptr<const image::Capture> m_picture =
                std::make_shared<const image::Capture>(support::captureOf(barPicture(), "fast"));
        };
        class Slow : public Sink
        {
        public:
            std::string name() const override { return "slow"; }
            base::Status write(const std::vector<records::Entry>& e, std::vector<std::vector<long long>>&) override
            {
                std::this_thread::sleep_for(30ms * e.size());
                return {};
            }
        };
        std::vector<std::unique_ptr<Sink>> sinks;
        sinks.push_back(std::make_unique<Slow>());
        Heard heard;
        Station s(std::move(sinks), {}, heard.listener(), {1, 1});
        s.setLine(lineOf(recipeOf()));
        s.setSource(std::make_shared<Fast>());
        s.start();
        s.settle();
        const auto c = s.counts();
        QVERIFY(c.tooSlow > 20 && c.tooSlow + c.taken == 120 && c.logged == c.taken);
        // those kept stay in order
        for (std::size_t i = 0; i < heard.items.size(); ++i) QCOMPARE(heard.items[i].inspected.taken.number, i + 1);
    }
    // A release reaches the line as a whole, from the next item on; whatever is said of an item is of the recipe it was
    // taken under.
    void everyItemBelongsToTheRecipeItWasTakenUnder()
    {
        Heard heard;
        demo::Random random(8);
        Tally tally;
        {
            Station s(sinksTo(path("change.sqlite"), ""), {}, heard.listener(), {2, 1});
            s.setSource(bars(400));
            const auto recipeNumber = [&](int n) {
                recipe::Recipe r = recipeOf((n % 2 ? 61 : 59.2) + 0.001 * n); // odd ones accept a 60 px bar
                r.revision = n + 1;
                r.totals = {{"Numbered", std::to_string(n), base::Unit::None}};
                return lineOf(r, "batch " + std::to_string(n));
            };
            s.setLine(recipeNumber(0));
            s.start();
            for (int n = 1; n <= 200; ++n) {
                const auto logged = s.counts().logged;
                if (random.below(2)) // closely: a fast machine is through before a slow look comes
                    while (s.counts().logged <= logged && s.running()) QThread::usleep(50);
                s.setLine(recipeNumber(n));
            }
            s.settle();
        }
        QCOMPARE(int(heard.items.size()), 400);
        const auto log = records::RecordLog::open(m_dir.filePath("change.sqlite"));
        std::set<std::string> identities;
        for (std::size_t i = 0; i < heard.items.size(); ++i) {
            const Logged& l = heard.items[i];
            const int n = l.line().release->revision - 1;
            const double high = *l.line().release->recipe().steps[0].checks[0].limits.high;
            QCOMPARE(l.line().batch, "batch " + std::to_string(n));
            const inspect::CheckResult& c = l.result().items[0].checks[0];
            QCOMPARE(*c.high, high);
            if (i % 5 != 4) QCOMPARE(l.result().accepted(), n % 2 == 1);
            const auto row = (*log)->item(l.records.at(0));
            QVERIFY(row && row->revision == n + 1 && row->batch == QString("batch %1").arg(n) &&
                    row->identity.toStdString() == l.line().release->identity);
            QCOMPARE(*(*log)->values(row->id)->at(0).high, high);
            QCOMPARE(*(*log)->recipeOf(row->id)->steps[0].checks[0].limits.high, high);
            // Counts and totals are of this recipe alone.
            const bool another = !tally.release() || tally.release()->identity != l.line().release->identity;
            const auto items = tally.counts().items;
            tally.add(l);
            QCOMPARE(tally.counts().items, another ? 1 : items + 1);
            QCOMPARE(tally.totals().sums().at(0).value, double(n) * double(tally.counts().items));
            identities.insert(l.line().release->identity);
        }
        QVERIFY(identities.size() > 20);
    }
    void outputsAreToldInOrderAndADeadOneHoldsNobodyUp()
    {
        class Dead : public Output
        {
        public:
            std::string name() const override { return "dead"; }
            base::Status tell(const Logged&) override { return base::fail(base::ErrorCode::Io, "nobody there"); }
        };
        std::ostringstream lamp;
        Heard heard;
        {
            std::vector<std::unique_ptr<Output>> outputs;
            outputs.push_back(std::make_unique<LampOutput>(lamp));
            outputs.push_back(std::make_unique<Dead>());
            Station s({}, std::move(outputs), heard.listener(), {2, 1});
            s.setLine(lineOf(recipeOf()));
            s.setSource(bars(10));
            s.start();
            s.settle();
        }
        const auto lines = QString::fromStdString(lamp.str()).split('\n', Qt::SkipEmptyParts);
        QCOMPARE(int(lines.size()), 10);
        QCOMPARE(lines[0], QString("simulated-1: accept"));
        QVERIFY(lines[4].startsWith("simulated-5: reject  "));
        int said = 0;
        for (const auto& [what, message] : heard.troubles) said += what == "dead";
        QCOMPARE(said, 1); // once, not for each item
    }
    // ---- pictures
    void keptPicturesAreThoseAskedForOnceEach()
    {
        const std::string folder = path("kept");
        for (const auto keep : {records::Keep::Rejects, records::Keep::All}) {
            Heard heard;
            Station s(sinksTo(path("kept.sqlite"), ""), {}, heard.listener(), {2, 1});
            s.setLine(lineOf(recipeOf(), {}, keep, folder));
            s.setSource(bars(20));
            s.start();
            s.settle();
            int files = 0;
            for (const auto& f : fs::recursive_directory_iterator(folder)) files += f.is_regular_file();
            QCOMPARE(files, keep == records::Keep::Rejects ? 1 : 2); // two contents in all
            const auto log = records::RecordLog::open(m_dir.filePath("kept.sqlite"));
            for (const Logged& l : heard.items) {
                const auto row = (*log)->item(l.records.at(0));
                QCOMPARE(row->kept.isEmpty(), keep == records::Keep::Rejects && l.result().accepted());
                QCOMPARE(row->notKept.isEmpty(), !row->kept.isEmpty());
                if (row->kept.isEmpty()) continue;
                const auto bytes = base::readFile(row->kept.toStdString());
                QVERIFY(bytes && base::sha256(*bytes) == row->pictureHash.toStdString());
            }
        }
    }
    void everyNthIsKeptAndTheOldestGoWithinABound()
    {
        // Each picture is another one.
        int made = 0;
        const auto source = [&] {
            return std::make_unique<SimulatedSource>([&](int) {
                image::Image p = support::barPicture(false, 60 + 0.01 * ++made);
                return p;
            });
        };
        const auto files = [](const std::string& folder) {
            long long n = 0, bytes = 0;
            for (const auto& f : fs::recursive_directory_iterator(folder))
                if (f.is_regular_file()) ++n, bytes += (long long)(f.file_size());
            return std::make_pair(n, bytes);
        };
        const std::string folder = path("nth"), log = path("nth.sqlite");
        const auto run = [&](records::Keep keep, int every, long long most, int items) {
            Heard heard;
            Station s(sinksTo(log, ""), {}, heard.listener(), {2, 1});
            auto line = std::make_shared<Line>(*lineOf(recipeOf(70), {}, keep, folder));
            line->keepEvery = every, line->mostPictures = most;
            s.setLine(line);
            s.setSource(source());
            for (int i = 0; i < items; ++i) s.takeOne();
            s.settle();
        };
        run(records::Keep::EveryNth, 5, 0, 23);
        QCOMPARE(files(folder).first, 4LL);
        auto opened = records::RecordLog::open(m_dir.filePath("nth.sqlite"));
        const auto kept = *(*opened)->items({});
        for (const auto& row : kept)
            QVERIFY(row.kept.isEmpty() ? row.notKept.contains("one of so many") : row.id % 5 == 0);
        const long long one = files(folder).second / 4;
        run(records::Keep::All, 0, 6 * one + one / 2, 20);
        const auto after = files(folder);
        QVERIFY2(after.second <= 6 * one + one / 2 && after.first >= 4, qPrintable(QString::number(after.first)));
        // The newest stay; no record was touched, and whoever asks for one that went is told.
        const auto rows = *(*opened)->items({});
        QCOMPARE(rows.size(), std::size_t(43));
        int there = 0;
        for (std::size_t i = 0; i < 20; ++i) {
            const bool is = QFile::exists(rows[i].kept);
            QVERIFY(!rows[i].kept.isEmpty() && (*opened)->values(rows[i].id)->size() == 2);
            QVERIFY(is || there >= 4); // newest first
            there += is;
        }
        QCOMPARE((long long)(there), after.first);
        const auto gone = records::captureOf(**opened, rows[19], {});
        QVERIFY(!gone && gone.error().message.find("it is gone from") != std::string::npos);
    }
    // Every file operation fails once in turn: what is said to be saved is there, nothing half is.
    void noFaultOfTheDiskLosesWhatWasAcknowledged()
    {
        for (int n = 1; n < 60; ++n) {
            const QString name = QString("fault-%1").arg(n);
            const std::string csv = path(qPrintable(name + ".csv")), log = path(qPrintable(name + ".sqlite")),
                              folder = path(qPrintable(name));
            FailingFiles files;
            files.failAt = n;
            Heard heard;
            {
                Station s(sinksTo(log, csv, files), {}, heard.listener(), {1, 1}, files);
                s.setLine(lineOf(recipeOf(), {}, records::Keep::All, folder));
                s.setSource(bars(6));
                s.start();
                s.settle();
            }
            const auto opened = records::RecordLog::open(QString::fromStdString(log));
            QCOMPARE((*opened)->counts({})->items, 6LL); // its own files are SQLite's
            int saved = 0;
            for (const Logged& l : heard.items) {
                saved += l.saved;
                const auto row = (*opened)->item(l.records.at(0));
                if (row->kept.isEmpty()) QVERIFY2(row->notKept.contains("no space left"), qPrintable(row->notKept));
                else QVERIFY(base::sha256(*base::readFile(row->kept.toStdString())) == row->pictureHash.toStdString());
            }
            QVERIFY(linesIn(csv) - 1 >= saved && saved >= 5);
            if (files.seen < n) {
                QVERIFY(n > 11 && saved == 6); // every operation had its turn
                return;
            }
            bool said = false;
            for (const auto& [what, message] : heard.troubles)
                said = said || message.find("no space left") != std::string::npos;
            QVERIFY(said || saved == 6); // said, unless a second try went well
            for (const auto& f : fs::recursive_directory_iterator(folder))
                QVERIFY2(f.path().extension() != ".part", f.path().c_str());
        }
        QFAIL("the operations never ended");
    }
    // No file of this process may grow beyond a bound: as on a full disk, a write stops half way.
    // The same for what SQLite does with its files, from making the log to closing it.
    void noFaultOfTheDatabaseLosesWhatWasAcknowledged()
    {
        using Failing = support::FailingSqlite;
        Failing::install();
        const LinePtr line = lineOf(recipeOf());
        for (int n = 1; n < 1000; ++n) {
            const std::string log = path(qPrintable(QString("sql-%1.sqlite").arg(n)));
            Heard heard;
            Failing::seen = 0;
            Failing::failAt = n;
            {
                std::vector<std::unique_ptr<Sink>> sinks;
                sinks.push_back(std::make_unique<RecordSink>(log));
                Station s(std::move(sinks), {}, heard.listener(), {1, 1});
                s.setLine(line);
                s.setSource(bars(4));
                s.setPause(1);
                s.start();
                s.settle();
            }
            Failing::failAt = 0;
            const int operations = Failing::seen;
            const auto opened = records::RecordLog::open(QString::fromStdString(log));
            QVERIFY2(opened.has_value(), opened ? "" : (std::to_string(n) + ": " + opened.error().text()).c_str());
            int saved = 0;
            std::set<long long> ids;
            for (const Logged& l : heard.items) {
                if (!l.saved) continue;
                ++saved;
                const auto row = (*opened)->item(l.records.at(0));
                QVERIFY2(row && row->picture.toStdString() == l.result().picture, std::to_string(n).c_str());
                QVERIFY(ids.insert(row->id).second && (*opened)->values(row->id)->size() == 2);
            }
            // What was not acknowledged was said, and nothing is there twice.
            QVERIFY2(saved == 4 || !heard.troubles.empty(), std::to_string(n).c_str());
            QVERIFY2(saved >= 3, std::to_string(n).c_str());
            std::set<QString> pictures;
            const auto rows = (*opened)->items({});
            for (const auto& row : *rows) QVERIFY2(pictures.insert(row.picture).second, std::to_string(n).c_str());
            if (operations < n) {
                QVERIFY(n > 40 && saved == 4); // every operation had its turn
                return;
            }
        }
        QFAIL("more operations than expected");
    }
    void aFullDiskLeavesWholeRows()
    {
        const auto run = [&](const QString& log, const QString& csv, const char* bytes,
                             const char* items) -> std::pair<int, int> {
            QProcess child;
            child.setProcessChannelMode(QProcess::ForwardedErrorChannel);
            child.start(QCoreApplication::applicationFilePath(), {"--full-disk", log, csv, bytes, items});
            if (!child.waitForFinished(100000) || child.exitCode() != 0) return {-1, -1};
            const auto out = child.readAll().trimmed().split(' ');
            return {out.at(0).toInt(), out.at(1).toInt()};
        };
        const QString csv = m_dir.filePath("full.csv"), log = m_dir.filePath("full.sqlite");
        const auto [rows, notRows] = run("", csv, "10000", "150");
        QVERIFY(rows > 20 && notRows > 20 && rows + notRows == 150);
        const QByteArray table = QByteArray::fromStdString(*base::readFile(csv.toStdString()));
        QVERIFY(table.endsWith('\n') && table.count('\n') - 1 == rows);
        const int commas = int(table.left(table.indexOf('\n')).count(','));
        for (const QByteArray& line : table.trimmed().split('\n')) QVERIFY(line.count(',') == commas);
        const auto [saved, unsaved] = run(log, "", "200000", "900"); // more than fits however they are grouped
        QVERIFY2(saved > 0 && unsaved > 0 && saved + unsaved == 900,
                 qPrintable(QString("%1 saved, %2 not").arg(saved).arg(unsaved)));
        const auto opened = records::RecordLog::open(log);
        QVERIFY2(opened, opened ? "" : opened.error().text().c_str());
        QVERIFY((*opened)->counts({})->items >= saved);
    }
    // ---- several programs
    void severalProgramsShareOneLogAndOneTable()
    {
        const QString log = m_dir.filePath("shared.sqlite"), csv = m_dir.filePath("shared.csv");
        std::vector<std::unique_ptr<QProcess>> children;
        for (int i = 0; i < 4; ++i) {
            children.push_back(std::make_unique<QProcess>());
            children.back()->setProcessChannelMode(QProcess::ForwardedErrorChannel);
            children.back()->start(QCoreApplication::applicationFilePath(),
                                   {"--run", log, csv, "40", QString("program %1").arg(i)});
        }
        for (auto& c : children) {
            QVERIFY(c->waitForFinished(120000));
            QCOMPARE(c->exitCode(), 0);
        }
        const auto opened = records::RecordLog::open(log);
        QCOMPARE((*opened)->counts({})->items, 160LL);
        for (int i = 0; i < 4; ++i) QCOMPARE((*opened)->counts({{}, QString("program %1").arg(i)})->items, 40LL);
        QCOMPARE(linesIn(csv.toStdString()), 161);
    }
    // kill -9 at random moments: every item shown as saved is in the log once, kept pictures are whole, the table has
    // no torn line.
    void whatWasSavedSurvivesAKill()
    {
        const QString log = m_dir.filePath("killed.sqlite"), csv = m_dir.filePath("killed.csv");
        demo::Random random(3);
        std::set<long long> shown;
        for (int round = 0; round < 6; ++round) {
            QProcess child;
            child.setProcessChannelMode(QProcess::ForwardedErrorChannel);
            child.start(QCoreApplication::applicationFilePath(), {"--run", log, csv, "1000000", "killed"});
            QVERIFY(child.waitForStarted());
            QByteArray all;
            const int most = 5 + random.below(60);
            while (all.count('\n') < most) {
                QVERIFY(child.waitForReadyRead(30000));
                all += child.readAll();
            }
            ::kill(pid_t(child.processId()), SIGKILL);
            child.waitForFinished();
            all += child.readAll();
            for (const QByteArray& line : all.left(all.lastIndexOf('\n')).split('\n')) {
                const long long id = line.toLongLong();
                QVERIFY2(id > 0 && shown.insert(id).second, line.constData());
            }
        }
        const auto opened = records::RecordLog::open(log);
        QVERIFY(opened);
        std::set<long long> there;
        const auto rows = (*opened)->items({{}, {}, 10'000'000});
        for (const auto& row : *rows) {
            there.insert(row.id);
            if (row.kept.isEmpty()) continue;
            const auto bytes = base::readFile(row.kept.toStdString());
            QVERIFY(bytes && base::sha256(*bytes) == row.pictureHash.toStdString());
        }
        for (const long long id : shown) QVERIFY(there.count(id));
        QVERIFY(records::appendCsv(base::realFiles(), csv.toStdString(), recipeOf(), ""));
        const QByteArray table = QByteArray::fromStdString(*base::readFile(csv.toStdString()));
        const auto lines = table.trimmed().split('\n');
        for (const QByteArray& line : lines) QCOMPARE(int(line.count(',')), int(lines[0].count(',')));
        QVERIFY(int(lines.size()) - 1 >= int(shown.size()));
    }
    void differencesAreSaid()
    {
        const recipe::Recipe before = recipeOf();
        QVERIFY(recipe::differences(before, before).empty());
        const auto one = [&](const std::function<void(recipe::Recipe&)>& edit) {
            recipe::Recipe now = before;
            edit(now);
            const auto d = recipe::differences(before, now);
            return d.size() == 1 ? d[0] : std::to_string(d.size()) + " differences";
        };
        QCOMPARE(one([](auto& r) { r.steps[0].checks[0].limits.high = 62; }),
                 std::string("\"Width\": limits 59 .. 62 instead of 59 .. 61"));
        QCOMPARE(one([](auto& r) { r.steps.pop_back(); }), std::string("step \"Blobs\" is gone"));
        QCOMPARE(one([](auto& r) { r.steps[1].inUse = false; }), std::string("step \"Blobs\" is out of use"));
        QCOMPARE(one([](auto& r) {
                     recipe::findKind("edge_pair")->param("smoothing")->put(r.steps[0].params, recipe::Value(2.5));
                 }),
                 std::string("\"Width\": Smoothing 2.5 instead of 1.5"));
        QCOMPARE(one([](auto& r) {
                     r.steps[0].regions["window"] = geometry::Region::window({5, 31}, {115, 31}, 9);
                 }),
                 std::string("step \"Width\": regions or inputs differ"));
        QCOMPARE(one([](auto& r) { r.calibration = geometry::Calibration::factor(0.1, ""); }),
                 std::string("another calibration"));
        QCOMPARE(one([](auto& r) { r.steps[0].checks[0].fault = "narrow"; }),
                 std::string("step \"Width\": details of its checks differ"));
        QCOMPARE(one([](auto& r) { r.rule = "1"; }), std::string("recipe settings"));
        QCOMPARE(one([](auto& r) { r.reference = *recipe::makeAsset("r.png", *image::encodePng(barPicture()), ""); }),
                 std::string("another reference"));
        QCOMPARE(one([](auto& r) { std::swap(r.steps[0], r.steps[1]); }), std::string("the order of its steps"));
        QCOMPARE(one([](auto& r) { r.trials.push_back({"x.png"}); }), std::string("0 differences"));
    }
};

namespace
{
// A program of its own on the line: LOG CSV ITEMS BATCH; writes the id of each item that is saved.
int runChild(char** argv)
{
    Station::Listener listener;
    bool wrong = false;
    listener.logged = [](const Logged& l) {
        if (!l.saved) return;
        for (const long long id : l.records) {
            const std::string line = std::to_string(id) + "\n";
            if (::write(1, line.data(), line.size()) < 0) std::_Exit(1);
        }
    };
    listener.trouble = [&](const std::string&, const std::string& message) {
        wrong = true;
        std::fprintf(stderr, "%s\n", message.c_str());
    };
    const std::string pictures = (fs::path(argv[2]).parent_path() / "child-pictures").string();
    Station s(sinksTo(argv[2], argv[3]), {}, listener, {1, 1});
    s.setLine(lineOf(recipeOf(), argv[5], records::Keep::All, pictures));
    s.setSource(bars(std::atoi(argv[4])));
    s.start();
    s.settle();
    return wrong || s.counts().unsaved > 0;
}
// LOG CSV BYTES ITEMS: no file may grow beyond a bound; says how many items were saved and how many not.
int fullDiskChild(char** argv)
{
    std::signal(SIGXFSZ, SIG_IGN);
    const rlim_t bytes = rlim_t(std::atoll(argv[4]));
    const rlimit bound{bytes, bytes};
    ::setrlimit(RLIMIT_FSIZE, &bound);
    int saved = 0, unsaved = 0;
    Station::Listener listener;
    listener.logged = [&](const Logged& l) { ++(l.saved ? saved : unsaved); };
    {
        Station s(sinksTo(argv[2], argv[3]), {}, listener, {1, 1});
        s.setLine(lineOf(recipeOf()));
        s.setSource(bars(std::atoi(argv[5])));
        s.start();
        s.settle();
    }
    std::printf("%d %d\n", saved, unsaved);
    return 0;
}
} // namespace

int main(int argc, char** argv)
{
    QCoreApplication application(argc, argv);
    if (argc == 6 && QString(argv[1]) == "--run") return runChild(argv);
    if (argc == 6 && QString(argv[1]) == "--full-disk") return fullDiskChild(argv);
    StationTest test;
    return QTest::qExec(&test, argc, argv);
}
#include "station_test.moc"
