#include "cli/study_commands.h"

#include "base/files.h"
#include "base/parallel.h"
#include "cli/arguments.h"
#include "cli/checked_recipe.h"
#include "cli/json_results.h"
#include "image/decode.h"
#include "inspect/picture_noise.h"
#include "inspect/repeatability.h"
#include "recipe/recipe_file.h"
#include "recipe/soundness.h"
#include "report/study_report.h"
#include "report/theme.h"

#include <iostream>
#include <nlohmann/json.hpp>
#include <sstream>

namespace cli
{
using nlohmann::ordered_json;

namespace
{
int bad(std::ostream& err, const base::Error& e) { return badInput(err, e); }
ordered_json orNull(const std::optional<double>& v) { return v ? ordered_json(*v) : ordered_json(); }
// "Width=26.002; Hole pitch=92": true values by the names of checks, in the checks' own units.
base::Result<std::map<std::string, double>> truthsFrom(const std::string& text, const recipe::Recipe& recipe)
{
    std::map<std::string, double> out;
    std::istringstream all(text);
    for (std::string one; std::getline(all, one, ';');) {
        const auto wrong = [&](const std::string& why) { return base::fail(base::ErrorCode::InvalidArgument, why); };
        const auto equals = one.rfind('=');
        if (equals == std::string::npos) return wrong("--truth = " + one + " is not NAME=VALUE");
        std::string name = one.substr(0, equals);
        name.erase(0, name.find_first_not_of(' ')), name.erase(name.find_last_not_of(' ') + 1);
        const bool known = std::any_of(recipe.steps.begin(), recipe.steps.end(), [&](const recipe::Step& s) {
            return std::any_of(s.checks.begin(), s.checks.end(),
                               [&](const recipe::Check& c) { return c.name == name; });
        });
        if (!known) return wrong("--truth names \"" + name + "\", which is no check of the recipe");
        const char *begin = one.data() + equals + 1, *end = one.data() + one.size();
        double v = 0;
        const auto r = std::from_chars(begin, end, v);
        if (r.ec != std::errc() || r.ptr != end || !std::isfinite(v))
            return wrong("--truth = " + one + " is not NAME=VALUE with a number");
        out[name] = v;
    }
    return out;
}
base::Result<std::vector<inspect::StudyValue>> studyOfFile(const std::string& file)
{
    const auto text = base::readFile(file);
    if (!text) return base::passOn(text.error());
    return inspect::studyFromCsv(*text, file);
}
// The tolerance is the check's own when none is given.
base::Result<std::vector<inspect::StudyValue>> studyOfPictures(const std::vector<std::string>& words,
                                                               const std::string& check, int jobs,
                                                               std::optional<double>& tolerance)
{
    auto loaded = recipe::load(words[0]);
    if (!loaded) return base::passOn(loaded.error());
    if (auto wrong = recipe::unsound(*loaded); !wrong.empty()) return base::passOn(wrong.front(), words[0]);
    auto prepared = inspect::Prepared::make(std::move(*loaded));
    if (!prepared) return base::passOn(prepared.error());
    std::vector<inspect::PictureResult> results(words.size() - 1);
    base::parallelFor(int(results.size()), jobs, [&](int n) {
        const std::string& picture = words[std::size_t(n) + 1];
        auto capture = image::loadCapture(picture, prepared->recipe().pictures);
        if (capture) results[std::size_t(n)] = inspect::evaluate(*prepared, *capture);
        else results[std::size_t(n)].error = capture.error().message;
        results[std::size_t(n)].picture = picture;
    });
    std::vector<const inspect::PictureResult*> all;
    for (const auto& r : results) all.push_back(&r);
    for (const auto& t : inspect::takesOf(prepared->recipe(), all))
        if (t.name == check) {
            if (!tolerance) tolerance = t.tolerance;
            return inspect::studyFromPictures(all, t.step, t.output);
        }
    return base::fail(base::ErrorCode::NotFound,
                      "--check = " + check + " is no check of the recipe with a single value");
}
} // namespace

namespace
{
base::Result<report::Paper> paperOf(const Arguments& a)
{
    const std::string paper = a.option("--paper");
    if (paper.empty() || paper == "a4") return report::Paper::A4;
    if (paper == "letter") return report::Paper::Letter;
    return base::fail(base::ErrorCode::InvalidArgument, paper + " is not one of: a4, letter", "--paper");
}
} // namespace

int repeat(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    const auto a = Arguments::read(
        arguments, {"--copies", "--noise", "--json", "--jobs", "--factors", "--truth", "--pdf", "--paper"}, {});
    if (!a) return bad(err, a.error());
    if (a->words.size() < 2) {
        err << "dikkat-cli: repeat takes a recipe and at least one picture (dikkat-cli help says how)\n";
        return kBadInput;
    }
    const auto copies = a->number("--copies", 0, 2, 10000), jobs = a->number("--jobs", 0, 0, 1024);
    const auto noise = a->real("--noise", -1, 0, 100);
    if (!copies) return bad(err, copies.error());
    if (!jobs) return bad(err, jobs.error());
    if (!noise) return bad(err, noise.error());
    inspect::GaugeFactors factors;
    if (const std::string text = a->option("--factors"); !text.empty()) { // share,width,half,reach
        std::istringstream in(text);
        char c1 = 0, c2 = 0, c3 = 0;
        if (!(in >> factors.share >> c1 >> factors.width >> c2 >> factors.half >> c3 >> factors.reach) || c1 != ',' ||
            c2 != ',' || c3 != ',' ||
            !(factors.share > 0 && factors.width > 0 && factors.half > 0 && factors.reach > 0) || in.peek() != EOF)
            return bad(err, {base::ErrorCode::InvalidArgument,
                             "--factors = " + text +
                                 " is not four numbers above 0: share,width,half,reach (usual: 0.2,6,0.1,3)",
                             ""});
    }
    auto loaded = soundRecipe(a->words[0], err);
    if (!loaded) return kBadInput;
    std::vector<std::string> inputs = filesOf(a->words[0], *loaded);
    inputs.insert(inputs.end(), a->words.begin(), a->words.end());
    if (auto ok = keepsInputs("--json", a->option("--json"), inputs); !ok) return bad(err, ok.error());
    if (auto ok = keepsInputs("--pdf", a->option("--pdf"), inputs); !ok) return bad(err, ok.error());
    const auto paper = paperOf(*a);
    if (!paper) return bad(err, paper.error());
    auto prepared = inspect::Prepared::make(std::move(*loaded));
    if (!prepared) return bad(err, prepared.error());
    const auto truths = truthsFrom(a->option("--truth"), prepared->recipe());
    if (!truths) return bad(err, truths.error());
    std::vector<image::Capture> captures;
    for (const std::string& picture :
         image::captures(prepared->recipe().pictures, {a->words.begin() + 1, a->words.end()})) {
        auto c = image::loadCapture(picture, prepared->recipe().pictures);
        if (!c) return bad(err, c.error());
        captures.push_back(std::move(*c));
    }
    // Takes of one part as they are, or so many noisy copies of each picture.
    const int each = std::max(1, int(*copies));
    std::vector<inspect::PictureResult> results(captures.size() * std::size_t(each));
    std::vector<double> levels;
    for (const auto& c : captures) levels.push_back(*noise >= 0 ? *noise : inspect::pictureNoise(c));
    base::parallelFor(int(results.size()), int(*jobs), [&](int n) {
        const std::size_t picture = std::size_t(n) / std::size_t(each);
        if (*copies == 0) {
            results[std::size_t(n)] = inspect::evaluate(*prepared, captures[picture]);
            return;
        }
        const auto copy = inspect::noisyCapture(captures[picture], levels[picture], std::uint64_t(n) + 1);
        results[std::size_t(n)] = inspect::evaluate(*prepared, copy);
    });
    std::vector<const inspect::PictureResult*> pointers;
    for (const auto& r : results) pointers.push_back(&r);
    ordered_json j{{"recipe", prepared->recipe().name}, {"takes", results.size()}, {"checks", ordered_json::array()}};
    if (*copies > 0) j["noise"] = levels;
    std::ostream& table = a->option("--json") == "-" ? err : out;
    std::vector<report::RepeatLine> page;
    for (const auto& t : inspect::takesOf(prepared->recipe(), pointers)) {
        const auto truth = truths->find(t.name);
        const auto r = inspect::repeatability(
            t.values, t.tolerance, truth == truths->end() ? std::nullopt : std::optional(truth->second), factors);
        ordered_json one{{"step", t.step},       {"output", t.output}, {"name", t.name}, {"unit", base::symbol(t.unit)},
                         {"n", t.values.size()}, {"left_out", t.left}};
        if (r) {
            one["mean"] = r->mean, one["spread"] = r->spread, one["least"] = r->least, one["greatest"] = r->greatest;
            one["tolerance"] = orNull(t.tolerance), one["cg"] = orNull(r->cg), one["uncertainty"] = r->uncertainty;
            one["bias"] = orNull(r->bias), one["cgk"] = orNull(r->cgk);
            table << t.name << ": mean " << base::toText(r->mean, t.unit) << ", spread " << base::shortest(r->spread)
                  << " " << base::symbol(t.unit) << (r->cg ? ", Cg " + base::toText(*r->cg, 2) : std::string())
                  << (r->bias ? ", bias " + base::toText(*r->bias, t.unit) : std::string())
                  << (r->cgk ? ", Cgk " + base::toText(*r->cgk, 2) : std::string()) << ", expanded uncertainty "
                  << base::shortest(r->uncertainty) << "\n";
        } else {
            one["reason"] = r.error().message;
            table << t.name << ": " << r.error().message << "\n";
        }
        j["checks"].push_back(std::move(one));
        page.push_back({QString::fromStdString(t.name), QString::fromStdString(base::symbol(t.unit)),
                        int(t.values.size()), t.left, r ? std::optional(*r) : std::nullopt, t.tolerance,
                        r ? QString() : QString::fromStdString(r.error().message)});
    }
    if (const std::string pdf = a->option("--pdf"); !pdf.empty()) {
        report::loadFonts();
        if (auto ok = report::writeRepeatReport(QString::fromStdString(pdf), page,
                                                QString::fromStdString(prepared->recipe().name), *paper);
            !ok)
            return bad(err, ok.error());
    }
    return writeJson(a->option("--json"), j, out, err);
}

int study(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    const auto a = Arguments::read(
        arguments, {"--tolerance", "--json", "--pool-above", "--check", "--jobs", "--pdf", "--paper"}, {});
    if (!a) return bad(err, a.error());
    const std::string check = a->option("--check");
    if (check.empty() ? a->words.size() != 1 : a->words.size() < 2) {
        err << "dikkat-cli: study takes one CSV file with the columns part,person,value, or a recipe, pictures named "
               "part-person-take and --check "
               "NAME\n";
        return kBadInput;
    }
    const auto tolerance = a->real("--tolerance", 0, 0, 1e12), pool = a->real("--pool-above", 0.25, 0, 1);
    if (!tolerance) return bad(err, tolerance.error());
    if (!pool) return bad(err, pool.error());
    for (const char* option : {"--json", "--pdf"})
        if (auto ok = keepsInputs(option, a->option(option), a->words); !ok) return bad(err, ok.error());
    const auto paper = paperOf(*a);
    if (!paper) return bad(err, paper.error());
    const auto jobs = a->number("--jobs", 0, 0, 1024);
    if (!jobs) return bad(err, jobs.error());
    std::optional<double> wide = *tolerance > 0 ? std::optional(*tolerance) : std::nullopt;
    const auto values = check.empty() ? studyOfFile(a->words[0]) : studyOfPictures(a->words, check, int(*jobs), wide);
    if (!values) return bad(err, values.error());
    const auto s = inspect::study(*values, wide, *pool);
    if (!s) return bad(err, s.error());
    ordered_json j{{"parts", s->parts}, {"persons", s->persons}, {"repeats", s->repeats}, {"pooled", s->pooled}};
    std::ostream& table = a->option("--json") == "-" ? err : out;
    table << "source\tDF\tSS\tMS\tF\tp\n";
    for (const auto& r : s->table) {
        ordered_json one{{"source", r.source}, {"df", r.freedom}, {"ss", r.squares}};
        one["ms"] = r.source == "total" ? ordered_json() : ordered_json(r.mean);
        one["f"] = orNull(r.f), one["p"] = orNull(r.p);
        j["table"].push_back(one);
        table << r.source << "\t" << r.freedom << "\t" << base::shortest(r.squares) << "\t"
              << (r.source == "total" ? "" : base::shortest(r.mean)) << "\t" << (r.f ? base::toText(*r.f, 4) : "")
              << "\t" << (r.p ? base::toText(*r.p, 4) : "") << "\n";
    }
    table << "source\tvariance\tspread\t% of total" << (wide ? "\t% of tolerance" : "") << "\n";
    for (const auto& c : s->components) {
        ordered_json one{
            {"source", c.source}, {"variance", c.variance}, {"spread", c.spread}, {"percent_of_total", c.shareOfTotal}};
        one["percent_of_tolerance"] = orNull(c.shareOfTolerance);
        j["components"].push_back(one);
        table << c.source << "\t" << base::shortest(c.variance) << "\t" << base::shortest(c.spread) << "\t"
              << base::toText(c.shareOfTotal, 2)
              << (c.shareOfTolerance ? "\t" + base::toText(*c.shareOfTolerance, 2) : std::string()) << "\n";
    }
    j["categories"] = s->categories;
    table << "categories that can be told apart: " << base::toText(s->categories, 0)
          << (s->pooled ? " (interaction pooled)" : "") << "\n";
    if (const std::string pdf = a->option("--pdf"); !pdf.empty()) {
        report::loadFonts();
        const std::string what = check.empty() ? a->words[0] : check;
        if (auto ok = report::writeStudyReport(QString::fromStdString(pdf), *s, *values, wide,
                                               QString::fromStdString(what), {}, *paper);
            !ok)
            return bad(err, ok.error());
    }
    return writeJson(a->option("--json"), j, out, err);
}

} // namespace cli
