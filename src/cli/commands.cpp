#include "cli/commands.h"

#include "base/files.h"
#include "cli/arguments.h"
#include "cli/calibration_commands.h"
#include "cli/checked_recipe.h"
#include "cli/demo_sets.h"
#include "cli/drawing_commands.h"
#include "cli/history_commands.h"
#include "cli/json_results.h"
#include "cli/line_commands.h"
#include "cli/prove_command.h"
#include "cli/records_command.h"
#include "cli/review_command.h"
#include "cli/study_commands.h"

#include "recipe/recipe_file.h"

#include <filesystem>
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
    "       dikkat-cli inspect RECIPE PICTURE... [--json FILE|-] [--csv FILE] [--log FILE] [--annotate DIR] [--jobs "
    "N]\n"
    "       dikkat-cli run RECIPE --source camera:ID|folder:DIR|list:FILE|demo:SET|station:WORDS [--log FILE] [--csv "
    "FILE] [--keep "
    "rejects|every:N|all|none[,DIR]] [--keep-most GB]\n"
    "                      [--items N | --seconds N] [--pause MS] [--batch NAME] [--station NAME] [--by NAME] [--jobs "
    "N]\n"
    "                      [--outputs on|off] [--trigger] [--recipes FILE,…] [--again | --follow] [--server URL]\n"
    "                      [--report item.pdf,item.png,item.json,rejects,batch.pdf,batch.csv,letter,DIR [--report-name "
    "PATTERN]]\n"
    "                      (the line without a window; SIGTERM and SIGINT end it with everything on disk; --trigger: a "
    "picture each time a controller asks)\n"
    "       dikkat-cli cameras                                       (those that answer)\n"
    "       dikkat-cli registers RECIPE [--output NAME] [--markdown] (the addresses of its Modbus output, as CSV)\n"
    "       dikkat-cli records LOG [--where WORDS] [--limit N] [--events] [--json FILE|-] [--csv FILE|- [--rows "
    "items|values]]\n"
    "                      (WORDS: verdict=reject,batch=…,station=…,recipe=…,picture=…,text=…,since=2026-11-29,until=…,"
    "from=N,to=N)\n"
    "       dikkat-cli statistics LOG --check NAME [--where WORDS] [--chart individuals|mean-range|mean-deviation] "
    "[--group N] [--json FILE|-]\n"
    "       dikkat-cli forward LOG --server postgresql://USER@HOST:PORT/DATABASE [--station NAME]\n"
    "                      (sends what waits; records, statistics, report and replay take such a server for LOG)\n"
    "       dikkat-cli retain LOG [--days N] [--most GB] [--remove]  (the oldest records go; without --remove it is "
    "only said)\n"
    "       dikkat-cli report LOG --item N | --batch NAME | --where WORDS --pdf FILE [--paper a4|letter] [--png FILE]\n"
    "                      [--without deviation,drawing]             (pages of an item whose recipe has a drawing)\n"
    "       dikkat-cli replay LOG ITEM... | --where WORDS [--recipe RECIPE[@N]] [--json FILE|-]\n"
    "                      (logged items inspected again, with their own recipe or another: what differs?)\n"
    "       dikkat-cli review RECIPE [--json FILE|-] [--jobs N]      (what is doubtful about it, by its own trials)\n"
    "                      (inspect, run and review: --variant NAME puts that variant of the part in work)\n"
    "       dikkat-cli prove RECIPE [PICTURE...] [--quick] [--json FILE|-] [--pdf FILE] [--paper a4|letter] [--against "
    "N] "
    "[--seed N] [--jobs N] [--variant NAME]\n"
    "                      (how far it can be trusted: strain, planted faults, uncertainty; --against: revision N of "
    "it)\n"
    "       dikkat-cli history RECIPE [--json FILE|-]                (its revisions: what changed, who, when, why)\n"
    "       dikkat-cli compare RECIPE[@N] RECIPE[@N] [PICTURE...] [--json FILE|-] [--jobs N]\n"
    "                      (what differs, and which pictures change their verdict; without pictures its trials)\n"
    "       dikkat-cli drawing FILE.dxf [--unit mm|cm|m|um|inch|foot|mil] [--layers-off NAME,…] [--json FILE|-]\n"
    "                      (what it holds, and what of it was not understood)\n"
    "       dikkat-cli compare FILE.dxf PICTURE... --mm-per-px F | --calibration FILE [--tolerance MM] [--datum "
    "all|holes:A,B|edge:A,B]\n"
    "                      [--material dark|bright] [--parts N] [--unit …] [--layers-off …] [--json FILE|-] "
    "[--annotate "
    "DIR]\n"
    "                      (parts against their drawing: no edge farther off than MM, usually 0.1; A, B: elements of "
    "the drawing)\n"
    "       dikkat-cli trace PICTURE --mm-per-px F | --calibration FILE --dxf FILE [--tolerance MM] [--round MM] "
    "[--json FILE|-]\n"
    "                      (a drawing made of a part that has none)\n"
    "       dikkat-cli calibrate --target checkerboard|dots --columns C --rows R --pitch P [--unit mm|um|in] [--dot "
    "D]\n"
    "                            [--plane PICTURE] [--thickness T] [--recipe RECIPE] PICTURE... [--json FILE|-] [--out "
    "FILE]\n"
    "       dikkat-cli map CALIBRATION --to mm|px X,Y...\n"
    "       dikkat-cli target --target checkerboard|dots --columns C --rows R --pitch P [--unit mm|um|in] [--dot D] "
    "FILE.pdf\n"
    "       dikkat-cli repeat RECIPE PICTURE... [--copies N] [--noise S] [--truth NAME=VALUE;…]\n"
    "                         [--factors SHARE,WIDTH,HALF,REACH] [--json FILE|-]\n"
    "       dikkat-cli study FILE.csv [--tolerance T] [--pool-above P] [--json FILE|-] [--pdf FILE]  (columns "
    "part,person,value)\n"
    "       dikkat-cli study RECIPE PICTURE... --check NAME [--tolerance T] [--json FILE|-]  (pictures named "
    "part-person-take)\n"
    "exit: 0 none rejected (review: nothing doubtful; replay: all the same; compare: no verdict changed), 1 some "
    "rejected (review: something; "
    "replay: others), 2 bad usage, input that could not be read, a recipe\n"
    "      that cannot work, output that could not be written\n";

class Command
{
public:
    Command(const std::vector<std::string>& all, std::ostream& out, std::ostream& err)
        : m_all(all), m_out(out), m_err(err)
    {
    }

    int demo()
    {
        auto a = Arguments::read(m_all, {"--set", "--seed", "--count"}, {});
        if (!a) return bad(a.error());
        if (a->words.size() != 1) return usage("demo takes one folder");
        const std::string set = a->option("--set").empty() ? "reed-plate" : a->option("--set");
        const auto seed = a->number("--seed", 1, 0, 1'000'000'000'000LL), count = a->number("--count", 24, 1, 10000);
        if (!seed) return bad(seed.error());
        if (!count) return bad(count.error());
        const auto write = demoSet(set);
        if (!write) return usage("--set = " + write.error().message);
        if (auto ok = (*write)(a->words[0], std::uint64_t(*seed), int(*count), {}); !ok) return bad(ok.error());
        if (set == "targets")
            m_out << *count << " pictures each of a checkerboard and of dots, and truth.json written to " << a->words[0]
                  << "\n";
        else
            m_out << *count << " pictures, truth.json, reference.png and the recipe written to " << a->words[0] << "\n";
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
                for (const auto& p : k.params)
                    m_out << "    " << p.key << " (" << p.rangeText() << ")  " << p.help << "\n";
            }
        return kDone;
    }

    int packing(bool in)
    {
        auto a = Arguments::read(m_all, {}, in ? std::set<std::string>{} : std::set<std::string>{"--overwrite"});
        if (!a) return bad(a.error());
        if (a->words.size() != 2) return usage(in ? "pack takes FOLDER RECIPE" : "unpack takes RECIPE FOLDER");
        auto ok = in ? recipe::pack(a->words[0], a->words[1])
                     : recipe::unpack(a->words[0], a->words[1], a->options.count("--overwrite") > 0);
        if (!ok) return bad(ok.error());
        m_out << a->words[1] << " written\n";
        return kDone;
    }

    int usage(const std::string& why)
    {
        m_err << "dikkat-cli: " << why << "\n" << kUsage;
        return kBadInput;
    }

private:
    int bad(const base::Error& e) { return badInput(m_err, e); }
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
    if (what == "inspect") return inspectPictures(arguments, out, err);
    if (what == "run") return runLine(arguments, out, err);
    if (what == "cameras") return listCameras(arguments, out, err);
    if (what == "registers") return listRegisters(arguments, out, err);
    if (what == "statistics") return valueStatistics(arguments, out, err);
    if (what == "records") return listRecords(arguments, out, err);
    if (what == "replay") return replay(arguments, out, err);
    if (what == "report") return report(arguments, out, err);
    if (what == "retain") return retain(arguments, out, err);
    if (what == "forward") return forward(arguments, out, err);
    if (what == "check") return check(arguments, out, err);
    if (what == "review") return review(arguments, out, err);
    if (what == "prove") return prove(arguments, out, err);
    if (what == "history") return history(arguments, out, err);
    if (what == "compare" && isDrawing(arguments)) return compareWithDrawing(arguments, out, err);
    if (what == "compare") return compare(arguments, out, err);
    if (what == "drawing") return describeDrawing(arguments, out, err);
    if (what == "trace") return tracePart(arguments, out, err);
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
