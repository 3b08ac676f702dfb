// A log of a million items with twelve values each, and how soon what is asked of it is answered.
//   many_records make LOG [ITEMS]      appends made-up items, the last one just now
//   many_records columns LOG           reading, choosing, working out, without a window
//   many_records window LOG            the workspace, until everything is painted
// Run with QT_QPA_PLATFORM=offscreen.
#include "demo/render.h"
#include "desktop/records/records_page.h"
#include "desktop/style.h"
#include "heartbeat.h"
#include "records/choice.h"
#include "records/column_reader.h"
#include "report/theme.h"

#include <QApplication>
#include <QDateTime>
#include <QElapsedTimer>
#include <QTimer>
#include <cstdio>
#include <cstring>
#include <fstream>

namespace
{
recipe::Recipe recipeOf(int revision)
{
    recipe::Recipe r;
    r.name = "Reed plate, 10 slots";
    r.revision = revision;
    const char* names[] = {"Width",    "Hole pitch", "Slot length", "Slot width", "Burr above",  "Burr below",
                           "Straight", "Seat",       "Taper",       "Parallel",   "Top to hole", "Slots"};
    int balloon = 1;
    for (const char* name : names) {
        recipe::Step s = recipe::makeStep(r, *recipe::findKind("edge_pair"));
        s.regions["window"] = geometry::Region::window({5, 30}, {115, 30}, 9);
        s.checks[0].name = name, s.checks[0].balloon = balloon;
        const double nominal = 10.0 * balloon++, room = 0.1 - 0.01 * revision;
        s.checks[0].limits.low = nominal - room, s.checks[0].limits.high = nominal + room;
        s.checks[0].limits.unit = base::Unit::Pixel;
        r.steps.push_back(s);
    }
    return r;
}

int make(const QString& path, long long items)
{
    auto log = records::RecordLog::open(path);
    if (!log) return std::fprintf(stderr, "%s\n", log.error().text().c_str()), 2;
    std::vector<std::shared_ptr<const records::Release>> releases;
    for (int revision = 1; revision <= 5; ++revision)
        releases.push_back(*records::release(
            std::make_shared<const inspect::Prepared>(*inspect::Prepared::make(recipeOf(revision))), "A. Person"));
    demo::Random random(7);
    QElapsedTimer timer;
    timer.start();
    const qint64 now = QDateTime::currentMSecsSinceEpoch();
    constexpr int kTogether = 500;
    for (long long done = 0; done < items; done += kTogether) {
        std::vector<records::Entry> entries;
        for (long long n = done; n < std::min(items, done + kTogether); ++n) {
            records::Entry e;
            e.release = releases[std::size_t(n * 5 / items)];
            auto result = std::make_shared<inspect::PictureResult>();
            result->picture = "plate-" + std::to_string(n) + ".png";
            inspect::ItemResult item;
            item.outcome = inspect::Outcome::Accept;
            int k = 1;
            for (const recipe::Step& s : e.release->recipe().steps) {
                inspect::CheckResult c;
                c.step = s.id, c.output = s.checks[0].output, c.name = s.checks[0].name, c.balloon = k;
                c.low = s.checks[0].limits.low, c.high = s.checks[0].limits.high;
                c.unit = base::Unit::Pixel;
                const double value = 10.0 * k++ + random.normal(0.03, 0.12);
                c.values = {value};
                c.verdict = value < *c.low || value > *c.high ? inspect::Verdict::Fail : inspect::Verdict::Pass;
                if (c.verdict == inspect::Verdict::Fail) item.outcome = inspect::Outcome::Reject;
                item.checks.push_back(c);
            }
            result->items.push_back(item);
            e.result = result;
            // Ten a second in two shifts, ending now.
            e.at = QDateTime::fromMSecsSinceEpoch(now - (items - n) * 100, Qt::UTC)
                       .toString(Qt::ISODateWithMs)
                       .toStdString();
            e.batch = "B" + std::to_string(1000 + n / 20000), e.station = n % 3 == 0 ? "two" : "one";
            e.pictures = {{"", "", "", "accepted pictures are not kept"}};
            entries.push_back(std::move(e));
        }
        if (auto ok = (*log)->append(entries); !ok) return std::fprintf(stderr, "%s\n", ok.error().text().c_str()), 2;
        if (done % 100000 == 0)
            std::printf("%lld items, %.1f s\n", done, double(timer.elapsed()) / 1e3), std::fflush(stdout);
    }
    return 0;
}

double megabytes()
{
    std::ifstream in("/proc/self/status");
    for (std::string line; std::getline(in, line);)
        if (line.rfind("VmRSS:", 0) == 0) return std::stod(line.substr(6)) / 1024;
    return 0;
}
template <class Work> auto timed(const char* what, Work work)
{
    QElapsedTimer timer;
    timer.start();
    auto out = work();
    std::printf("%-44s %8.1f ms\n", what, double(timer.nsecsElapsed()) / 1e6);
    return out;
}

// The workspace itself, until everything is painted; the longest the window did not answer meanwhile.
int window(const QString& path)
{
    using namespace desktop;
    report::loadFonts();
    applyTheme(*qApp);
    RecordsPage page(path, [] { return nullptr; });
    page.resize(1280, 760);
    page.show();
    QCoreApplication::processEvents();
    Heartbeat heart;
    RecordsModel& model = page.model();
    const auto timed = [&](const char* what, const std::function<void()>& act) {
        heart.longest();
        bool done = false;
        const auto connection = QObject::connect(&model, &RecordsModel::changed, [&] { done = true; });
        QElapsedTimer timer;
        timer.start();
        act();
        while (!done) QCoreApplication::processEvents(QEventLoop::AllEvents, 5);
        QObject::disconnect(connection);
        page.grab(); // painted
        const double all = double(timer.nsecsElapsed()) / 1e6;
        QCoreApplication::processEvents();
        std::printf("%-40s %8.0f ms, longest pause %5.0f ms, %lld items\n", what, all, heart.longest(),
                    model.view().counts.items);
        std::fflush(stdout);
    };
    timed("opens", [&] { model.refresh(); });
    const auto say = [&](const char* what, const std::function<void(Sentence&)>& edit) {
        timed(what, [&] {
            Sentence s;
            edit(s);
            model.say(s);
        });
        timed("  and all of it again", [&] { model.takeBack(); });
    };
    say("rejects", [](Sentence& s) { s.words.verdict = records::ItemVerdict::Reject; });
    say("one batch", [](Sentence& s) { s.words.batch = QStringLiteral("B1003"); });
    say("one station", [](Sentence& s) { s.words.station = QStringLiteral("two"); });
    say("a text", [](Sentence& s) { s.words.text = QStringLiteral("e-77"); });
    say("one revision", [](Sentence& s) { s.words.revisions = {3}; });
    say("values of a check", [&](Sentence& s) {
        Sentence::Brush b;
        b.of = Sentence::Brush::Of::Value;
        b.value = {model.view().columns->checks[0], 9.99, 10.01};
        s.brushes = {b};
    });
    timed("another check", [&] { model.chooseCheck(5); });
    timed("one against another", [&] { model.chooseSecond(3); });
    timed("means of 5", [&] { model.setChart(records::ChartKind::MeanAndRange, 5); });
    std::printf("memory %.0f MB\n", megabytes());
    return 0;
}

int columns(const QString& path)
{
    auto reader = timed("open", [&] { return records::ColumnReader::open(path); });
    if (!reader) return std::fprintf(stderr, "%s\n", reader.error().text().c_str()), 2;
    const auto read = timed("all columns", [&] { return (*reader)->update(); });
    if (!read) return std::fprintf(stderr, "%s\n", read.error().text().c_str()), 2;
    const records::Columns& c = **read;
    timed("nothing new", [&] { return (*reader)->update(); });
    std::printf("%zu items, %zu checks, %.0f MB of columns, %.0f MB in all\n", c.items(), c.checks.size(),
                double(c.bytes()) / 1e6, megabytes());
    timed("ribbon of everything", [&] { return records::ribbonOf(c, 244); });
    const auto all = timed("everything chosen", [&] { return records::rowsOf(c, {}); });
    timed("rejects chosen", [&] { return records::rowsOf(c, {.verdict = records::ItemVerdict::Reject}); });
    timed("batch chosen", [&] { return records::rowsOf(c, {.batch = "B1003"}); });
    timed("text chosen", [&] { return records::rowsOf(c, {.text = "E-77"}); });
    timed("text chosen, not there", [&] { return records::rowsOf(c, {.text = "nowhere"}); });
    timed("values chosen", [&] { return records::rowsOf(c, {.spans = {{c.checks[0], 9.99, 10.0}}}); });
    timed("counts", [&] { return records::countsOf(c, all); });
    timed("all checks in 244 columns", [&] { return records::summaries(c, all, all.size() / 244 + 1); });
    timed("one check's chart", [&] { return records::detailOf(c, all, 1); });
    return 0;
}
} // namespace

int main(int argc, char** argv)
{
    QApplication application(argc, argv);
    if (argc > 2 && !std::strcmp(argv[1], "make")) return make(argv[2], argc > 3 ? std::atoll(argv[3]) : 1000000);
    if (argc > 2 && !std::strcmp(argv[1], "columns")) return columns(argv[2]);
    if (argc > 2 && !std::strcmp(argv[1], "window")) return window(argv[2]);
    std::fprintf(stderr, "many_records make LOG [ITEMS] | columns LOG | window LOG\n");
    return 2;
}
