// Ten stations into one server at their fastest, each with its own log file as the spool.
//   many_stations URL FOLDER [SECONDS] [STATIONS]
// Prints what was logged and sent, how long a batch waits, what it takes on the server's disk.
#include "demo/render.h"
#include "records/column_reader.h"
#include "records/record_log.h"
#include "records/server.h"

#include <QCoreApplication>
#include <QDateTime>
#include <QDir>
#include <QElapsedTimer>
#include <QSqlDatabase>
#include <QSqlQuery>
#include <algorithm>
#include <atomic>
#include <cstdio>

namespace
{
// Twelve checks.
recipe::Recipe recipeOf()
{
    recipe::Recipe r;
    r.name = "Reed plate, 10 slots";
    for (int i = 1; i <= 12; ++i) {
        recipe::Step s = recipe::makeStep(r, *recipe::findKind("edge_pair"));
        s.regions["window"] = geometry::Region::window({5, 30}, {115, 30}, 9);
        s.checks[0].name = "Width " + std::to_string(i), s.checks[0].balloon = i;
        s.checks[0].limits.low = 9.9, s.checks[0].limits.high = 10.1, s.checks[0].limits.unit = base::Unit::Pixel;
        r.steps.push_back(s);
    }
    return r;
}
records::Entry entryOf(const std::shared_ptr<const records::Release>& release, demo::Random& random, long long n)
{
    records::Entry e;
    e.release = release;
    auto result = std::make_shared<inspect::PictureResult>();
    result->picture = "plate-" + std::to_string(n) + ".png";
    inspect::ItemResult item;
    item.outcome = inspect::Outcome::Accept;
    for (const recipe::Step& s : release->recipe().steps) {
        inspect::CheckResult c;
        c.step = s.id, c.output = s.checks[0].output, c.name = s.checks[0].name, c.balloon = s.checks[0].balloon;
        c.low = 9.9, c.high = 10.1, c.unit = base::Unit::Pixel;
        c.values = {10 + random.normal(0.03, 0.12)};
        c.verdict = c.values[0] < 9.9 || c.values[0] > 10.1 ? inspect::Verdict::Fail : inspect::Verdict::Pass;
        if (c.verdict == inspect::Verdict::Fail) item.outcome = inspect::Outcome::Reject;
        item.checks.push_back(c);
    }
    result->items.push_back(item);
    e.result = result;
    e.at = records::nowUtc(), e.batch = "B1";
    e.pictures = {{"", "", "", "accepted pictures are not kept"}};
    return e;
}
long long number(records::RecordLog& server, const char* sql)
{
    QSqlQuery q(server.database());
    return q.exec(QLatin1String(sql)) && q.next() ? q.value(0).toLongLong() : -1;
}
} // namespace

int main(int argc, char** argv)
{
    QCoreApplication application(argc, argv);
    if (argc < 3) return std::fprintf(stderr, "many_stations URL FOLDER [SECONDS] [STATIONS]\n"), 2;
    const auto address = records::ServerAddress::fromUrl(QString::fromLocal8Bit(argv[1]));
    if (!address) return std::fprintf(stderr, "%s\n", address.error().text().c_str()), 2;
    const QString folder = QString::fromLocal8Bit(argv[2]);
    QDir().mkpath(folder);
    const int seconds = argc > 3 ? std::atoi(argv[3]) : 120, stations = argc > 4 ? std::atoi(argv[4]) : 10;
    const auto release =
        *records::release(std::make_shared<const inspect::Prepared>(*inspect::Prepared::make(recipeOf())), "A. Person");
    std::atomic<long long> logged{0};
    std::atomic<int> behind{0};
    std::vector<double> waits; // of appends, ms
    std::mutex mutex;
    QElapsedTimer timer;
    timer.start();
    std::vector<std::thread> lines;
    for (int i = 0; i < stations; ++i)
        lines.emplace_back([&, i] {
            const QString path = folder + QStringLiteral("/station-%1.sqlite").arg(i);
            auto log = records::RecordLog::open(path);
            records::Forwarder forwarder(path, *address, QStringLiteral("station %1").arg(i));
            demo::Random random(std::uint64_t(i + 1));
            std::vector<double> mine;
            for (long long n = 0; timer.elapsed() < seconds * 1000LL; n += 10) {
                std::vector<records::Entry> entries;
                for (int k = 0; k < 10; ++k) entries.push_back(entryOf(release, random, n + k));
                QElapsedTimer one;
                one.start();
                if (!(*log)->append(entries)) break;
                mine.push_back(double(one.nsecsElapsed()) / 1e6);
                logged += 10;
                forwarder.wake();
            }
            if (!forwarder.wait(600000)) ++behind;
            const std::lock_guard lock(mutex);
            waits.insert(waits.end(), mine.begin(), mine.end());
        });
    // Somebody looks meanwhile: reading never waits for writing.
    double longest = 0;
    long long looks = 0;
    while (timer.elapsed() < seconds * 1000LL) {
        QElapsedTimer one;
        one.start();
        auto server = records::RecordLog::open(QString::fromLocal8Bit(argv[1]));
        if (server && (*server)->items({})) longest = std::max(longest, double(one.nsecsElapsed()) / 1e6), ++looks;
        std::this_thread::sleep_for(std::chrono::milliseconds(200));
    }
    const double logging = double(timer.elapsed()) / 1e3;
    for (std::thread& t : lines) t.join();
    const double all = double(timer.elapsed()) / 1e3;
    auto server = records::RecordLog::open(QString::fromLocal8Bit(argv[1]));
    if (!server) return std::fprintf(stderr, "%s\n", server.error().text().c_str()), 1;
    const long long there = number(**server, "select count(*) from item"),
                    values = number(**server, "select count(*) from value"),
                    bytes = number(**server,
                                   "select sum(pg_total_relation_size(inhrelid)) from pg_inherits where inhparent in "
                                   "('item'::regclass, 'value'::regclass)"),
                    items = number(**server,
                                   "select sum(pg_total_relation_size(inhrelid)) from pg_inherits where inhparent = "
                                   "'item'::regclass"),
                    indices =
                        number(**server, "select sum(pg_indexes_size(inhrelid)) from pg_inherits where inhparent in "
                                         "('item'::regclass, 'value'::regclass)");
    std::sort(waits.begin(), waits.end());
    std::printf("logged %lld items in %.0f s (%.0f a second), all of them on the server after %.0f s (%.0f a second)\n",
                logged.load(), logging, double(logged) / logging, all, double(logged) / all);
    std::printf("on the server: %lld items, %lld values: %s\n", there, values,
                there == logged && values == 12 * there && behind == 0 ? "none lost, none twice" : "NOT all");
    std::printf("an append of 10 items: median %.1f ms, 99 %% %.1f ms\n", waits[waits.size() / 2],
                waits[waits.size() * 99 / 100]);
    std::printf("bytes an item: %.0f (of them indices %.0f; item rows %.0f), %.2f GB in all\n",
                double(bytes) / double(there), double(indices) / double(there), double(items) / double(there),
                double(bytes) / 1e9);
    std::printf("looking meanwhile: %lld times, longest %.0f ms\n", looks, longest);
    return there == logged ? 0 : 1;
}
