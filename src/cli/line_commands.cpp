#include "cli/line_commands.h"

#include "base/files.h"
#include "base/text.h"
#include "camera/camera_source.h"
#include "cli/annotated.h"
#include "cli/arguments.h"
#include "cli/checked_recipe.h"
#include "cli/demo_sets.h"
#include "cli/json_results.h"
#include "control/outlets.h"
#include "demo/conveyor.h"
#include "image/decode.h"
#include "recipe/recipe_file.h"
#include "records/csv.h"
#include "records/server.h"
#include "report/auto_reports.h"
#include "report/sheet_painter.h"
#include "report/theme.h"
#include "station/station.h"

#include <QTemporaryDir>
#include <array>
#include <atomic>
#include <csignal>
#include <filesystem>
#include <sstream>

namespace cli
{
namespace fs = std::filesystem;
using namespace std::chrono_literals;

namespace
{
// While it lives, SIGTERM and SIGINT only ask for an end, and SIGHUP for the recipe to be read again.
class Interruptible
{
public:
    Interruptible()
    {
        s_asked = 0;
        s_again = 0;
        for (std::size_t i = 0; i < kSignals.size(); ++i)
            m_before[i] = std::signal(kSignals[i], [](int number) {
                if (number == SIGHUP) s_again = number;
                else s_asked = number;
            });
    }
    ~Interruptible()
    {
        for (std::size_t i = 0; i < kSignals.size(); ++i) std::signal(kSignals[i], m_before[i]);
    }
    Interruptible(const Interruptible&) = delete;
    Interruptible& operator=(const Interruptible&) = delete;
    bool asked() const { return s_asked != 0; }
    bool again() // once each time
    {
        const bool now = s_again != 0;
        s_again = 0;
        return now;
    }

private:
    static constexpr std::array kSignals{SIGTERM, SIGINT, SIGHUP};
    static inline volatile std::sig_atomic_t s_asked = 0, s_again = 0;
    void (*m_before[kSignals.size()])(int) = {};
};

// Ends after so many shots.
class Limited : public station::PictureSource
{
public:
    Limited(std::unique_ptr<PictureSource> source, long long most) : m_source(std::move(source)), m_left(most) {}
    std::string name() const override { return m_source->name(); }
    std::optional<station::Shot> next(const image::Naming& naming) override
    {
        if (m_left <= 0) return {};
        auto shot = m_source->next(naming);
        m_left -= !shot || !shot->nothing();
        return shot;
    }
    bool live() const override { return m_source->live(); }
    void prepare(const recipe::Recipe& recipe) override { m_source->prepare(recipe); }

private:
    std::unique_ptr<PictureSource> m_source;
    long long m_left;
};

// What a command says of its items, from the line's threads.
struct Tally {
    std::ostream& err;
    std::atomic<long long> items{0}, rejected{0}, unjudged{0};
    std::atomic<bool> fault{false};
    std::mutex mutex{};
    // Somebody else's, who may be back in a moment: no fault of this run.
    void say(const std::string& message)
    {
        const std::lock_guard lock(mutex);
        err << "dikkat-cli: " << message << "\n";
    }
    void trouble(const std::string& message)
    {
        const std::lock_guard lock(mutex);
        fault = true;
        err << "dikkat-cli: " << message << "\n";
    }
    void add(const inspect::PictureResult& r)
    {
        for (const auto& i : r.items) {
            ++items;
            rejected += i.rejected();
            unjudged += i.outcome == inspect::Outcome::Unjudged;
        }
        const std::lock_guard lock(mutex);
        for (const std::string& w : r.warnings) err << "dikkat-cli: " << r.picture << ": " << w << "\n";
    }
    void sayUnjudged()
    {
        if (unjudged > 0)
            err << "dikkat-cli: " << unjudged << (unjudged == 1 ? " item was not judged" : " items were not judged")
                << ": no check has limits, so nothing was accepted\n";
    }
    int code() const { return fault ? kBadInput : rejected > 0 ? kSomeRejected : kDone; }
};

std::vector<std::unique_ptr<station::Sink>> sinksOf(const Arguments& a)
{
    std::vector<std::unique_ptr<station::Sink>> out;
    if (const std::string log = a.option("--log"); !log.empty())
        out.push_back(std::make_unique<station::RecordSink>(log));
    if (const std::string csv = a.option("--csv"); !csv.empty())
        out.push_back(
            std::make_unique<station::CsvSink>(base::realFiles(), [csv](const recipe::Recipe&) { return csv; }));
    return out;
}
// Outputs that cannot be used are refused before anything is inspected.
base::Status openable(const Arguments& a, const recipe::Recipe& recipe)
{
    if (const std::string log = a.option("--log"); !log.empty())
        if (auto opened = records::RecordLog::open(QString::fromStdString(log)); !opened)
            return base::passOn(opened.error());
    if (const std::string csv = a.option("--csv"); !csv.empty())
        if (auto ok = records::appendCsv(base::realFiles(), csv, recipe, ""); !ok) return ok;
    return {};
}
base::Status keptApart(const Arguments& a, const std::vector<const char*>& options,
                       const std::vector<std::string>& inputs)
{
    for (const char* option : options) {
        if (auto ok = keepsInputs(option, a.option(option), inputs); !ok) return ok;
        if (auto ok = utf8Name(option, a.option(option)); !ok && std::string(option) != "--json") return ok;
    }
    return {};
}

base::Result<std::shared_ptr<station::Line>> lineOf(recipe::Recipe recipe, const Arguments& a)
{
    auto prepared = inspect::Prepared::make(std::move(recipe));
    if (!prepared) return base::passOn(prepared.error());
    auto release = records::release(std::make_shared<const inspect::Prepared>(std::move(*prepared)), a.option("--by"));
    if (!release) return base::passOn(release.error());
    auto line = std::make_shared<station::Line>();
    line->release = *release;
    line->batch = a.option("--batch");
    line->station = a.option("--station");
    return line;
}
} // namespace

int inspectPictures(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    const auto bad = [&](const base::Error& e) { return badInput(err, e); };
    auto a = Arguments::read(
        arguments, {"--json", "--csv", "--log", "--annotate", "--jobs", "--batch", "--station", "--by", "--variant"},
        {});
    if (!a) return bad(a.error());
    if (a->words.size() < 2)
        return bad({base::ErrorCode::InvalidArgument, "inspect takes a recipe and at least one picture", ""});
    const auto jobs = a->number("--jobs", 0, 0, 1024);
    if (!jobs) return bad(jobs.error());
    auto loaded = soundRecipe(a->words[0], err, a->option("--variant"));
    if (!loaded) return kBadInput;
    // Of a capture of several pictures any one of its files stands for all.
    const std::vector<std::string> pictures = image::captures(loaded->pictures, {a->words.begin() + 1, a->words.end()});
    std::vector<std::string> inputs = filesOf(a->words[0], *loaded);
    for (const std::string& p : pictures)
        if (const auto files = image::filesOf(loaded->pictures, p))
            for (const auto& [key, file] : files->files) inputs.push_back(file);
    const std::string annotate = a->option("--annotate"), jsonFile = a->option("--json");
    const std::vector<std::string> leaves = annotate.empty() ? std::vector<std::string>() : leavesFor(pictures);
    // Nothing that is read in this run is written in it.
    if (auto ok = keptApart(*a, {"--json", "--csv", "--log"}, inputs); !ok) return bad(ok.error());
    for (const std::string& leaf : leaves)
        if (auto ok = keepsInputs("--annotate", (fs::path(annotate) / leaf).string(), inputs); !ok)
            return bad(ok.error());
    const auto line = lineOf(std::move(*loaded), *a);
    if (!line) return bad(line.error());
    const recipe::Recipe& recipe = (*line)->release->recipe();
    if (!annotate.empty()) {
        std::error_code error;
        fs::create_directories(annotate, error);
        if (error) return bad({base::ErrorCode::Io, "cannot make the folder: " + error.message(), annotate});
    }
    if (auto ok = openable(*a, recipe); !ok) return bad(ok.error());
    std::unique_ptr<ResultsWriter> results;
    if (!jsonFile.empty()) {
        auto opened = ResultsWriter::open(jsonFile, recipe, out);
        if (!opened) return bad(opened.error());
        results = std::move(*opened);
    }
    Tally tally{err};
    station::LampOutput table(jsonFile == "-" ? err : out);
    station::Station::Listener listener;
    listener.inspected = [&](const station::Inspected& item) {
        if (annotate.empty() || !item.capture) return;
        const std::string path = (fs::path(annotate) / leaves[std::size_t(item.taken.number - 1)]).string();
        if (auto ok = writeAnnotated(*item.capture, recipe, *item.result, path); !ok) tally.trouble(ok.error().text());
    };
    listener.logged = [&](const station::Logged& item) {
        tally.add(item.result());
        if (!item.result().error) (void)table.tell(item);
        if (results) results->add(item.result());
    };
    bool ended = false;
    listener.trouble = [&](const std::string&, const std::string& message) { tally.trouble(message); };
    listener.ended = [&](const std::string&) { ended = true; };
    const Interruptible interrupt;
    {
        station::Station station(sinksOf(*a), {}, listener, {int(*jobs), pictures.size() == 1 ? int(*jobs) : 1});
        station.setLine(*line);
        station.setSource(std::make_shared<station::ListSource>("pictures", pictures, false));
        station.start();
        while (!station.settle(20ms))
            if (interrupt.asked()) station.stop();
        if (!ended)
            tally.trouble("ended by a signal after " + std::to_string(station.counts().logged) + " of " +
                          std::to_string(pictures.size()) + " pictures");
    }
    tally.sayUnjudged();
    if (results)
        if (auto ok = results->finish(); !ok) tally.trouble(ok.error().text());
    return tally.code();
}

namespace
{
base::Result<std::unique_ptr<station::PictureSource>> demoSource(const std::string& set)
{
    const auto write = demoSet(set);
    if (!write) return base::passOn(write.error());
    QTemporaryDir folder;
    if (auto ok = (*write)(folder.path().toStdString(), 1, 24, {}); !ok) return base::passOn(ok.error());
    std::vector<std::shared_ptr<const image::Capture>> pictures;
    auto files = station::ListSource::picturesIn(folder.path().toStdString());
    if (!files) return base::passOn(files.error());
    for (const std::string& file : *files) {
        // Parts only: neither the reference nor targets.
        const std::string leaf = fs::path(file).stem().string();
        if (leaf == "reference" || leaf == "empty" || leaf == "unknown-part" || leaf.rfind("target", 0) == 0) continue;
        auto capture = image::loadCapture(file);
        if (!capture) return base::passOn(capture.error());
        pictures.push_back(
            std::make_shared<const image::Capture>(std::move(*capture).renamed("demo-" + set + "-" + leaf)));
    }
    return std::unique_ptr<station::PictureSource>(new station::MemorySource("demo " + set, std::move(pictures)));
}
base::Result<std::unique_ptr<station::PictureSource>> sourceOf(const Arguments& a)
{
    const std::string text = a.option("--source");
    const auto colon = text.find(':');
    const std::string kind = text.substr(0, colon), what = colon == std::string::npos ? "" : text.substr(colon + 1);
    if (kind == "camera") {
        auto camera = camera::CameraSource::open(what);
        if (!camera) return base::passOn(camera.error());
        return std::unique_ptr<station::PictureSource>(std::move(*camera));
    }
    if (!what.empty() && kind == "folder")
        return station::ListSource::folder(what, a.options.count("--follow")  ? station::ListSource::End::Wait
                                                 : a.options.count("--again") ? station::ListSource::End::Again
                                                                              : station::ListSource::End::Stop);
    if (kind == "station") {
        const auto conveyor = station::Conveyor::parse(what);
        if (!conveyor) return base::passOn(conveyor.error());
        return std::unique_ptr<station::PictureSource>(
            new station::ConveyorSource(*conveyor, [](const station::Passing& p) {
                return demo::passingPlate(demo::Field{}, p.seed, p.number, p.faulty, p.light, p.smearMm);
            }));
    }
    if (!what.empty() && kind == "list") return station::ListSource::list(what, false);
    if (!what.empty() && kind == "demo") return demoSource(what);
    return base::fail(base::ErrorCode::InvalidArgument,
                      "--source = " + text +
                          " is not one of: camera:ID, folder:DIR, list:FILE, demo:SET, station:speed=…");
}
// "rejects", "all,DIR", "none"; without a folder "pictures" beside the log.
base::Status setKeep(station::Line& line, const Arguments& a)
{
    const std::string text = a.option("--keep").empty() ? "none" : a.option("--keep");
    const auto comma = text.find(',');
    const std::string what = text.substr(0, comma);
    std::string folder = comma == std::string::npos ? "" : text.substr(comma + 1);
    if (what == "none") line.keep = records::Keep::None;
    else if (what == "rejects") line.keep = records::Keep::Rejects;
    else if (what == "all") line.keep = records::Keep::All;
    else if (what.starts_with("every:")) {
        line.keep = records::Keep::EveryNth;
        const std::string n = what.substr(6);
        const auto r = std::from_chars(n.data(), n.data() + n.size(), line.keepEvery);
        if (r.ec != std::errc() || r.ptr != n.data() + n.size() || line.keepEvery < 1)
            return base::fail(base::ErrorCode::OutOfRange,
                              "--keep = " + text + ": every:N takes a whole number from 1 on");
    } else
        return base::fail(base::ErrorCode::InvalidArgument,
                          "--keep = " + text +
                              " is not one of: rejects, all, none, every:N, with ,DIR behind it or not");
    const auto most = a.real("--keep-most", 0, 0.001, 1e6);
    if (!most) return base::passOn(most.error());
    line.mostPictures = (long long)(*most * 1e9);
    if (line.keep == records::Keep::None) return {};
    if (folder.empty()) {
        if (a.option("--log").empty())
            return base::fail(base::ErrorCode::InvalidArgument,
                              "--keep " + what + " needs a folder (--keep " + what + ",DIR) or --log");
        folder = (fs::path(a.option("--log")).parent_path() / "pictures").string();
    }
    std::error_code error;
    line.pictures = fs::absolute(folder, error).string();
    return {};
}
} // namespace

namespace
{
// --report item.pdf,item.png,item.json,rejects,batch.pdf,batch.csv,letter,DIR
base::Result<report::AutoReportSettings> reportsOf(const Arguments& a)
{
    report::AutoReportSettings r;
    if (!a.options.count("--report")) return r;
    std::istringstream words(a.option("--report"));
    for (std::string word; std::getline(words, word, ',');) {
        if (word == "item.pdf") r.itemPdf = true;
        else if (word == "item.png") r.itemPng = true;
        else if (word == "item.json") r.itemJson = true;
        else if (word == "rejects") r.rejectsOnly = true;
        else if (word == "batch.pdf") r.batchPdf = true;
        else if (word == "batch.csv") r.batchCsv = true;
        else if (word == "letter") r.paper = report::Paper::Letter;
        else r.folder = QString::fromStdString(word);
    }
    if (a.options.count("--report-name")) r.pattern = QString::fromStdString(a.option("--report-name"));
    if (!r.any())
        return base::fail(base::ErrorCode::InvalidArgument,
                          "--report = " + a.option("--report") +
                              " has none of: item.pdf, item.png, item.json, batch.pdf, batch.csv");
    if (a.option("--log").empty())
        return base::fail(base::ErrorCode::InvalidArgument, "--report is made of a log: it needs --log");
    if (auto ok = r.check(); !ok) return base::passOn(ok.error(), "--report");
    return r;
}
// Recipes a controller may choose by number: the first is the one named, then those of --recipes.
base::Result<std::vector<station::LinePtr>> linesOf(const Arguments& a, const station::LinePtr& first)
{
    std::vector<station::LinePtr> out{first};
    std::string list = a.option("--recipes");
    while (!list.empty()) {
        const auto comma = list.find(',');
        const std::string path = list.substr(0, comma);
        list = comma == std::string::npos ? "" : list.substr(comma + 1);
        auto recipe = recipe::load(path);
        if (!recipe) return base::passOn(recipe.error());
        if (auto ok = control::checkOutlets(*recipe); !ok) return base::passOn(ok.error(), path);
        auto line = lineOf(std::move(*recipe), a);
        if (!line) return base::passOn(line.error(), path);
        (*line)->keep = first->keep, (*line)->pictures = first->pictures;
        (*line)->keepEvery = first->keepEvery, (*line)->mostPictures = first->mostPictures;
        out.push_back(std::move(*line));
    }
    return out;
}
} // namespace

int listCameras(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    const auto a = Arguments::read(arguments, {}, {});
    if (!a) return badInput(err, a.error());
    const auto there = camera::cameras();
    for (const camera::Found& f : there)
        out << f.id << "  " << f.vendor << " " << f.model << "  " << f.serial << "  " << f.address << "\n";
    if (there.empty()) err << "dikkat-cli: no camera answers\n";
    return out ? kDone : kBadInput;
}

int listRegisters(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    const auto bad = [&](const base::Error& e) { return badInput(err, e); };
    auto a = Arguments::read(arguments, {"--output", "--variant"}, {"--markdown"});
    if (!a) return bad(a.error());
    if (a->words.size() != 1) return bad({base::ErrorCode::InvalidArgument, "registers takes a recipe", ""});
    const auto loaded = soundRecipe(a->words[0], err, a->option("--variant"));
    if (!loaded) return kBadInput;
    for (const recipe::Outlet& o : loaded->outlets) {
        if (o.kind != recipe::Outlet::Kind::Registers) continue;
        if (!a->option("--output").empty() && o.name != a->option("--output")) continue;
        const auto table = control::registerTable(*loaded, o.registers);
        out << (a->options.count("--markdown") ? control::tableAsMarkdown(table) : control::tableAsCsv(table));
        return out ? kDone : bad({base::ErrorCode::Io, "the table cannot be written", ""});
    }
    return bad({base::ErrorCode::NotFound, "the recipe has no output of kind modbus with this name", a->words[0]});
}

int runLine(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    const auto bad = [&](const base::Error& e) { return badInput(err, e); };
    auto a = Arguments::read(arguments,
                             {"--source", "--log", "--csv", "--keep", "--items", "--seconds", "--pause", "--batch",
                              "--station", "--by", "--jobs", "--variant", "--outputs", "--recipes", "--server",
                              "--keep-most", "--report", "--report-name"},
                             {"--trigger", "--follow", "--again"});
    if (!a) return bad(a.error());
    if (a->words.size() != 1 || a->option("--source").empty())
        return bad({base::ErrorCode::InvalidArgument,
                    "run takes a recipe and --source camera:ID, folder:DIR, list:FILE or demo:SET", ""});
    const auto jobs = a->number("--jobs", 0, 0, 1024), items = a->number("--items", 0, 1, 1'000'000'000),
               pause = a->number("--pause", 0, 0, 3'600'000);
    const auto seconds = a->real("--seconds", 0, 0.01, 1e7);
    for (const auto* n : {&jobs, &items, &pause})
        if (!*n) return bad(n->error());
    if (!seconds) return bad(seconds.error());
    if (*items && *seconds > 0)
        return bad({base::ErrorCode::InvalidArgument, "--items and --seconds are not used together", ""});
    auto loaded = soundRecipe(a->words[0], err, a->option("--variant"));
    if (!loaded) return kBadInput;
    auto source = sourceOf(*a);
    if (!source) return bad(source.error());
    std::vector<std::string> inputs = filesOf(a->words[0], *loaded);
    if (const auto* list = dynamic_cast<const station::ListSource*>(source->get())) {
        const std::vector<std::string> pictures = list->pictures();
        inputs.insert(inputs.end(), pictures.begin(), pictures.end());
    }
    if (auto ok = keptApart(*a, {"--csv", "--log"}, inputs); !ok) return bad(ok.error());
    const auto line = lineOf(std::move(*loaded), *a);
    if (!line) return bad(line.error());
    if (auto ok = setKeep(**line, *a); !ok) return bad(ok.error());
    if (auto ok = openable(*a, (*line)->release->recipe()); !ok) return bad(ok.error());
    std::optional<records::ServerAddress> server;
    if (a->options.count("--server")) {
        if (a->option("--log").empty())
            return bad({base::ErrorCode::InvalidArgument, "--server sends a log on: it needs --log", ""});
        const auto address = records::ServerAddress::fromUrl(QString::fromStdString(a->option("--server")));
        if (!address) return bad(address.error());
        server = *address;
    }
    const auto reports = reportsOf(*a);
    if (!reports) return bad(reports.error());
    const std::string told = a->option("--outputs").empty() ? "on" : a->option("--outputs");
    if (told != "on" && told != "off")
        return bad({base::ErrorCode::InvalidArgument, "--outputs = " + told + " is not one of: on, off", ""});
    if (auto ok = control::checkOutlets((*line)->release->recipe()); !ok) return bad(ok.error());
    auto choices = linesOf(*a, *line);
    if (!choices) return bad(choices.error());
    const bool triggered = a->options.count("--trigger") > 0;
    const auto* camera = dynamic_cast<const camera::CameraSource*>(source->get()); // lives as long as the station
    const QString by = QString::fromStdString(a->option("--by")), from = QString::fromStdString((*source)->name());
    if (*items) *source = std::make_unique<Limited>(std::move(*source), *items);

    Tally tally{err};
    std::optional<records::Forwarder> forwarder;
    if (server)
        forwarder.emplace(QString::fromStdString(a->option("--log")), *server,
                          QString::fromStdString(a->option("--station")));
    std::optional<report::AutoReports> autos;
    if (reports->any()) {
        report::loadFonts();
        autos.emplace(QString::fromStdString(a->option("--log")), *reports);
    }
    station::Station::Listener listener;
    listener.logged = [&](const station::Logged& item) {
        tally.add(item.result());
        for (const long long id : item.records)
            if (autos) autos->logged(id);
        if (forwarder) forwarder->wake();
    };
    std::set<std::string> others;
    for (const recipe::Outlet& o : (*line)->release->recipe().outlets) others.insert(o.name);
    listener.trouble = [&](const std::string& what, const std::string& message) {
        if (others.count(what)) tally.say(message);
        else tally.trouble(message);
    };
    std::vector<std::unique_ptr<station::Output>> outputs;
    outputs.push_back(std::make_unique<station::LampOutput>(out));
    // What a controller asks for reaches the line once it stands.
    std::atomic<station::Station*> standing{nullptr};
    control::ModbusOutput::Commands commands;
    commands.trigger = [&] {
        if (auto* s = standing.load()) s->takeOne();
    };
    commands.choose = [&](int number) -> base::Status {
        if (number < 1 || std::size_t(number) > choices->size())
            return base::fail(base::ErrorCode::NotFound, "there is no recipe " + std::to_string(number));
        if (auto* s = standing.load()) {
            s->setLine((*choices)[std::size_t(number - 1)]);
            s->note({{}, "controller", "chosen", QString("recipe %1").arg(number), {}, {}, 0});
        }
        return {};
    };
    if (told == "on")
        for (auto& one : control::outputsOf((*line)->release->recipe(), commands)) outputs.push_back(std::move(one));
    station::Station::Counts counts;
    Interruptible interrupt;
    {
        station::Station station(sinksOf(*a), std::move(outputs), listener, {int(*jobs), 1});
        // Another recipe is valid from the next item; one that cannot be leaves the line as it is, and says so.
        const auto readAgain = [&] {
            auto next = soundRecipe(a->words[0], err, a->option("--variant"));
            if (!next) return;
            if (auto ok = control::checkOutlets(*next); !ok) return tally.trouble(ok.error().text());
            auto made = lineOf(std::move(*next), *a);
            if (!made) return tally.trouble(made.error().text());
            (*made)->keep = (*line)->keep, (*made)->pictures = (*line)->pictures;
            (*made)->keepEvery = (*line)->keepEvery, (*made)->mostPictures = (*line)->mostPictures;
            (*choices)[0] = *made;
            station.setLine(*made);
            station.note({{},
                          by,
                          "recipe read again",
                          QString::fromStdString((*made)->release->recipe().name),
                          {},
                          QString::number((*made)->release->revision),
                          0});
            err << "dikkat-cli: the recipe was read again: revision " << (*made)->release->revision << std::endl;
        };
        station.setLine(*line);
        station.setSource(std::move(*source));
        station.setPause(int(*pause));
        const auto end = std::chrono::steady_clock::now() + std::chrono::duration<double>(*seconds);
        standing = &station;
        station.note({{}, by, "start", from, {}, {}, 0});
        const auto over = [&] {
            return interrupt.asked() || (*seconds > 0 && std::chrono::steady_clock::now() >= end);
        };
        if (triggered) {
            // One picture each time it is asked for, until enough were taken.
            while (!over() && !(*items > 0 && station.counts().logged >= std::uint64_t(*items))) {
                if (interrupt.again()) readAgain();
                std::this_thread::sleep_for(20ms);
            }
            station.settle();
        } else {
            station.start();
            while (!station.settle(20ms)) {
                if (interrupt.again()) readAgain();
                if (over()) station.stop();
            }
        }
        standing = nullptr;
        station.note({{}, by, "stop", from, {}, {}, 0});
        counts = station.counts();
        if (camera)
            if (const auto c = camera->counts(); c.packets || c.incomplete || c.lost)
                err << "dikkat-cli: the camera lost " << c.packets << " packets, " << c.incomplete
                    << " pictures came incomplete, it was away " << c.lost << " times\n";
    }
    tally.sayUnjudged();
    if (autos) {
        autos->finish();
        err << "dikkat-cli: " << autos->written() << " reports written"
            << (autos->trouble().empty() ? "" : "; not all: " + autos->trouble()) << "\n";
    }
    if (forwarder) {
        forwarder->wake();
        if (!forwarder->wait(10000))
            err << "dikkat-cli: the server does not have all of it yet (" << forwarder->state().trouble
                << "); `dikkat-cli forward` sends the rest\n";
    }
    err << "dikkat-cli: " << counts.logged << (counts.logged == 1 ? " picture, " : " pictures, ") << tally.items
        << (tally.items == 1 ? " item, " : " items, ") << tally.rejected << " rejected";
    if (counts.unreadable) err << ", " << counts.unreadable << " unreadable";
    if (counts.unsaved) err << ", " << counts.unsaved << " NOT saved";
    if (counts.untold) err << ", " << counts.untold << " lines left out because nobody read them in time";
    if (counts.tooSlow) err << ", " << counts.tooSlow << " not inspected in time";
    err << (interrupt.asked() ? "; ended by a signal\n" : "\n");
    return tally.code();
}

} // namespace cli
