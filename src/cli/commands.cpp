#include "cli/commands.h"

#include "base/files.h"
#include "base/parallel.h"
#include "cli/arguments.h"
#include "cli/calibration_commands.h"
#include "cli/checked_recipe.h"
#include "cli/json_results.h"
#include "cli/review_command.h"
#include "cli/study_commands.h"
#include "demo/carton.h"
#include "demo/small_sets.h"
#include "demo/targets.h"

#include "image/decode.h"
#include "inspect/inspect.h"
#include "recipe/recipe_file.h"
#include "records/csv.h"
#include "records/record_log.h"
#include "report/sheet_painter.h"

#include <QBuffer>
#include <filesystem>
#include <mutex>
#include <new>

namespace cli
{
namespace fs = std::filesystem;

namespace
{
const char* kUsage =
    "usage: dikkat-cli demo DIR [--set NAME] [--seed N] [--count N]\n"
    "       dikkat-cli kinds [--json | --page | --schema]\n"
    "       dikkat-cli pack FOLDER RECIPE\n"
    "       dikkat-cli unpack RECIPE FOLDER [--overwrite]\n"
    "       dikkat-cli check RECIPE [--json FILE|-]                  (all that is wrong with it, without a picture)\n"
    "       dikkat-cli inspect RECIPE PICTURE... [--json FILE|-] [--csv FILE] [--log FILE] [--annotate DIR] [--jobs N]\n"
    "       dikkat-cli review RECIPE [--json FILE|-] [--jobs N]      (what is doubtful about it, by its own trials)\n"
    "       dikkat-cli calibrate --target checkerboard|dots --columns C --rows R --pitch P [--unit mm|um|in] [--dot D]\n"
    "                            [--plane PICTURE] [--thickness T] [--recipe RECIPE] PICTURE... [--json FILE|-] [--out FILE]\n"
    "       dikkat-cli map CALIBRATION --to mm|px X,Y...\n"
    "       dikkat-cli target --target checkerboard|dots --columns C --rows R --pitch P [--unit mm|um|in] [--dot D] FILE.pdf\n"
    "       dikkat-cli repeat RECIPE PICTURE... [--copies N] [--noise S] [--truth NAME=VALUE;…]\n"
    "                         [--factors SHARE,WIDTH,HALF,REACH] [--json FILE|-]\n"
    "       dikkat-cli study FILE.csv [--tolerance T] [--pool-above P] [--json FILE|-]     (columns part,person,value)\n"
    "       dikkat-cli study RECIPE PICTURE... --check NAME [--tolerance T] [--json FILE|-]  (pictures named part-person-take)\n"
    "exit: 0 none rejected (review: nothing doubtful), 1 some rejected (review: something), 2 bad usage, input that could not be read, a recipe\n"
    "      that cannot work, output that could not be written\n";

class Command
{
public:
    Command(const std::vector<std::string>& all, std::ostream& out, std::ostream& err) : m_all(all), m_out(out), m_err(err) {}

    int demo()
    {
        auto a = Arguments::read(m_all, {"--set", "--seed", "--count"}, {});
        if (!a) return bad(a.error());
        if (a->words.size() != 1) return usage("demo takes one folder");
        const std::string set = a->option("--set").empty() ? "reed-plate" : a->option("--set");
        const auto seed = a->number("--seed", 1, 0, 1'000'000'000'000LL), count = a->number("--count", 24, 1, 10000);
        if (!seed) return bad(seed.error());
        if (!count) return bad(count.error());
        const std::pair<const char*, base::Status (*)(const std::string&, std::uint64_t, int, const demo::Field&)> sets[] = {
            {"reed-plate", demo::writeReedPlates},     {"small-plates", demo::writeSmallPlates}, {"tuning-ring", demo::writeTuningRings},
            {"carton-panel", demo::writeCartonPanels}, {"targets", demo::writeTargets},          {"tilted-plate", demo::writeTiltedPlates}};
        const auto known = std::find_if(std::begin(sets), std::end(sets), [&](const auto& s) { return set == s.first; });
        if (known == std::end(sets))
            return usage("--set = " + set + " is not one of: reed-plate, small-plates, tuning-ring, carton-panel, targets, tilted-plate");
        if (auto ok = known->second(a->words[0], std::uint64_t(*seed), int(*count), {}); !ok) return bad(ok.error());
        if (set == "targets") m_out << *count << " pictures each of a checkerboard and of dots, and truth.json written to " << a->words[0] << "\n";
        else m_out << *count << " pictures, truth.json, reference.png and the recipe written to " << a->words[0] << "\n";
        return kDone;
    }

    int kinds()
    {
        auto a = Arguments::read(m_all, {}, {"--json", "--page", "--schema"});
        if (!a) return bad(a.error());
        if (!a->words.empty()) return usage("kinds takes no words");
        if (a->options.count("--json")) m_out << kindsJson().dump(2) << "\n";
        else if (a->options.count("--page")) m_out << kindsPage();
        else if (a->options.count("--schema")) m_out << recipe::jsonSchema().dump(2) << "\n";
        else
            for (const auto& k : recipe::allStepKinds()) {
                m_out << k.key << std::string(k.key.size() < 14 ? 14 - k.key.size() : 1, ' ') << k.help << "\n";
                for (const auto& p : k.params) m_out << "    " << p.key << " (" << p.rangeText() << ")  " << p.help << "\n";
            }
        return kDone;
    }

    int packing(bool in)
    {
        auto a = Arguments::read(m_all, {}, in ? std::set<std::string>{} : std::set<std::string>{"--overwrite"});
        if (!a) return bad(a.error());
        if (a->words.size() != 2) return usage(in ? "pack takes FOLDER RECIPE" : "unpack takes RECIPE FOLDER");
        auto ok = in ? recipe::pack(a->words[0], a->words[1]) : recipe::unpack(a->words[0], a->words[1], a->options.count("--overwrite") > 0);
        if (!ok) return bad(ok.error());
        m_out << a->words[1] << " written\n";
        return kDone;
    }

    int inspect()
    {
        auto a = Arguments::read(m_all, {"--json", "--csv", "--log", "--annotate", "--jobs"}, {});
        if (!a) return bad(a.error());
        if (a->words.size() < 2) return usage("inspect takes a recipe and at least one picture");
        const auto jobs = a->number("--jobs", 0, 0, 1024);
        if (!jobs) return bad(jobs.error());
        auto loaded = soundRecipe(a->words[0], m_err);
        if (!loaded) return kBadInput;
        std::vector<std::string> pictures(a->words.begin() + 1, a->words.end()), inputs = filesOf(a->words[0], *loaded);
        inputs.insert(inputs.end(), pictures.begin(), pictures.end());
        const std::string annotate = a->option("--annotate"), jsonFile = a->option("--json");
        const std::vector<std::string> leaves = annotate.empty() ? std::vector<std::string>() : leavesFor(pictures);
        // Nothing that is read in this run is written in it.
        for (const char* option : {"--json", "--csv", "--log"}) {
            if (auto ok = keepsInputs(option, a->option(option), inputs); !ok) return bad(ok.error());
            if (auto ok = utf8Name(option, a->option(option)); !ok && std::string(option) != "--json") return bad(ok.error());
        }
        for (const std::string& leaf : leaves)
            if (auto ok = keepsInputs("--annotate", (fs::path(annotate) / leaf).string(), inputs); !ok) return bad(ok.error());
        auto prepared = inspect::Prepared::make(std::move(*loaded));
        if (!prepared) return bad(prepared.error());
        if (!annotate.empty()) {
            std::error_code error;
            fs::create_directories(annotate, error);
            if (error) return bad({base::ErrorCode::Io, "cannot make the folder: " + error.message(), annotate});
        }
        std::unique_ptr<records::RecordLog> log;
        if (const std::string path = a->option("--log"); !path.empty()) {
            auto opened = records::RecordLog::open(QString::fromStdString(path));
            if (!opened) return bad(opened.error());
            log = std::move(*opened);
        }
        // Results are kept in the order of the pictures, whatever order they come in.
        std::vector<inspect::PictureResult> results(pictures.size());
        std::vector<base::Status> written(pictures.size());
        base::parallelFor(int(pictures.size()), int(*jobs), [&](int n) {
            const auto i = std::size_t(n);
            auto capture = image::loadCapture(pictures[i]);
            if (!capture) {
                results[i].picture = pictures[i];
                results[i].error = capture.error().text();
                return;
            }
            // One picture alone gets all cores.
            results[i] = inspect::evaluate(*prepared, *capture, nullptr, nullptr, pictures.size() == 1 ? int(*jobs) : 1);
            if (!annotate.empty()) written[i] = writeAnnotated(*capture, prepared->recipe(), results[i], (fs::path(annotate) / leaves[i]).string());
        });
        int exit = kDone;
        std::size_t unjudged = 0;
        const auto worse = [&](int code) { exit = std::max(exit, code); };
        std::ostream& table = jsonFile == "-" ? m_err : m_out;
        for (std::size_t i = 0; i < results.size(); ++i) {
            const auto& r = results[i];
            if (r.error) {
                m_err << "dikkat-cli: " << *r.error << "\n";
                worse(kBadInput);
                continue;
            }
            for (const std::string& w : r.warnings) m_err << "dikkat-cli: " << r.picture << ": " << w << "\n";
            for (const auto& item : r.items) {
                table << r.picture << (r.items.size() > 1 ? " item " + std::to_string(item.number) : "") << ": "
                      << inspect::name(item.outcome);
                if (!item.accepted()) table << "  " << item.sentence();
                table << "\n";
                unjudged += item.outcome == inspect::Outcome::Unjudged;
                if (item.rejected()) worse(kSomeRejected);
            }
            if (!written[i]) worse(bad(written[i].error()));
            if (log)
                if (auto ids = log->append(prepared->recipe(), r, QString()); !ids) worse(bad(ids.error()));
        }
        if (unjudged)
            m_err << "dikkat-cli: " << unjudged << (unjudged == 1 ? " item was not judged" : " items were not judged")
                  << ": no check has limits, so nothing was accepted\n";
        if (const std::string csv = a->option("--csv"); !csv.empty()) {
            std::vector<const inspect::PictureResult*> rows;
            for (const auto& r : results) rows.push_back(&r);
            if (auto ok = records::appendCsv(csv, prepared->recipe(), rows); !ok) worse(bad(ok.error()));
        }
        if (!jsonFile.empty()) worse(writeJson(jsonFile, toJson(prepared->recipe(), results), m_out, m_err));
        return exit;
    }

    int usage(const std::string& why)
    {
        m_err << "dikkat-cli: " << why << "\n" << kUsage;
        return kBadInput;
    }

private:
    int bad(const base::Error& e) { return badInput(m_err, e); }
    // Two pictures of one name from two folders do not overwrite each other.
    static std::vector<std::string> leavesFor(const std::vector<std::string>& pictures)
    {
        std::set<std::string> taken;
        std::vector<std::string> out;
        for (const std::string& p : pictures) {
            const std::string stem = fs::path(p).stem().string();
            std::string leaf = stem + "-annotated.png";
            for (int n = 2; !taken.insert(leaf).second; ++n) leaf = stem + "-" + std::to_string(n) + "-annotated.png";
            out.push_back(leaf);
        }
        return out;
    }
    static base::Status writeAnnotated(const image::Capture& capture, const recipe::Recipe& recipe, const inspect::PictureResult& result,
                                       const std::string& path)
    {
        const QImage drawn = report::annotated(capture, recipe, result);
        image::Image copy(drawn.width(), drawn.height(), image::PixelFormat::Colour8);
        for (int y = 0; y < copy.height(); ++y) std::copy_n(drawn.constScanLine(y), copy.rowBytes(), copy.row(y));
        auto png = image::encodePng(copy);
        if (!png) return base::passOn(png.error(), path);
        return base::writeAtomic(base::realFiles(), path, *png);
    }

    const std::vector<std::string>& m_all;
    std::ostream& m_out;
    std::ostream& m_err;
};
} // namespace

namespace
{
int command(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    Command c(arguments, out, err);
    if (arguments.empty()) return c.usage("a command is missing");
    const std::string& what = arguments.front();
    if (what == "demo") return c.demo();
    if (what == "kinds") return c.kinds();
    if (what == "pack") return c.packing(true);
    if (what == "unpack") return c.packing(false);
    if (what == "inspect") return c.inspect();
    if (what == "check") return check(arguments, out, err);
    if (what == "review") return review(arguments, out, err);
    if (what == "calibrate") return calibrate(arguments, out, err);
    if (what == "map") return mapPoints(arguments, out, err);
    if (what == "repeat") return repeat(arguments, out, err);
    if (what == "study") return study(arguments, out, err);
    if (what == "target") return makeTarget(arguments, out, err);
    if (what == "--help" || what == "help" || what == "-h") {
        out << kUsage;
        return kDone;
    }
    return c.usage("unknown command \"" + what + "\"");
}
} // namespace

int run(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    int code = kBadInput;
    try {
        code = command(arguments, out, err);
    } catch (const std::bad_alloc&) {
        err << "dikkat-cli: there is not enough memory\n";
    } catch (const std::exception& e) { // a library's; ours are results
        err << "dikkat-cli: " << e.what() << "\n";
    }
    // What was answered must have arrived.
    if (!out.flush()) {
        err << "dikkat-cli: the standard output cannot be written\n";
        return kBadInput;
    }
    return code;
}

} // namespace cli
