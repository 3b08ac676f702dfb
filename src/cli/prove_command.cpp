#include "cli/prove_command.h"

#include "cli/arguments.h"
#include "cli/checked_recipe.h"
#include "cli/json_results.h"
#include "proof/proof.h"
#include "recipe/history.h"
#include "report/proof_page.h"
#include "report/theme.h"

#include <QDateTime>
#include <QLocale>
#include <iostream>

namespace cli
{
using nlohmann::ordered_json;

namespace
{
std::string padded(std::string text, std::size_t width)
{
    // Bytes of a sign that is several of them count once.
    std::size_t seen = 0;
    for (const char c : text) seen += (c & 0xC0) != 0x80;
    if (seen < width) text += std::string(width - seen, ' ');
    return text;
}
void tell(const proof::Proof& p, const recipe::Recipe& recipe, std::ostream& out)
{
    for (const auto& f : report::approvalFacts(p, recipe))
        out << (f.state == report::Fact::State::Good  ? "met      "
                : f.state == report::Fact::State::Bad ? "NOT MET  "
                                                      : "unknown  ")
            << padded(f.what.toStdString(), 24) << padded(f.figure.toStdString(), 12) << f.detail.toStdString() << "\n";
    out << "\nweakest checks: reserve, change that comes first\n";
    for (std::size_t i = 0; i < p.strain.rows.size() && i < 12; ++i) {
        const auto& r = p.strain.rows[i];
        const auto* c = r.weakest();
        const auto* kind = c ? proof::findChange(c->change) : nullptr;
        out << "  " << padded((r.balloon > 0 ? std::to_string(r.balloon) + " " : "") + r.name, 30)
            << base::toText(r.reserve(), 2) << " x  ";
        if (c && c->turn != proof::Turn::Held)
            out << proof::said(*kind, c->level) << " (" << proof::name(c->turn) << ")";
        else out << "held as far as tried";
        out << "\n";
    }
    if (!p.faults.empty()) out << "\nplanted faults: found 9 times of 10 from, surely (95 %) from\n";
    for (const auto& d : p.faults) {
        const auto* kind = proof::findFault(d.kind);
        const std::string unit = std::string(" ") + base::symbol(d.unit);
        out << "  " << padded(kind ? kind->label : d.kind, 30);
        if (kind && !kind->sized) out << d.sizes.front().found << " of " << d.sizes.front().planted << " found";
        else
            out << (d.size90 ? base::toText(*d.size90, 2) + unit : "-") << ", "
                << (d.bound ? base::toText(*d.bound, 2) + unit : "-");
        if (d.gap) out << "  GAP";
        out << "\n";
    }
    if (!p.open.empty()) out << "\nopen points\n";
    for (const auto& o : p.open) {
        out << "  " << o.text << "\n";
        if (!o.reason.empty()) out << "      reason: " << o.reason << " (" << o.by << ")\n";
        else out << "      to do: " << o.remedy << "\n";
    }
}
} // namespace

int prove(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    const auto a = Arguments::read(
        arguments, {"--json", "--pdf", "--paper", "--seed", "--jobs", "--variant", "--against"}, {"--quick"});
    if (!a) return badInput(err, a.error());
    if (a->words.empty()) {
        err << "dikkat-cli: prove takes a recipe (dikkat-cli help says how)\n";
        return kBadInput;
    }
    const auto jobs = a->number("--jobs", 0, 0, 1024), seed = a->number("--seed", 1, 0, 1'000'000'000'000LL),
               against = a->number("--against", 0, 0, 1'000'000'000);
    for (const auto* n : {&jobs, &seed, &against})
        if (!*n) return badInput(err, n->error());
    const std::string paper = a->option("--paper");
    if (!paper.empty() && paper != "a4" && paper != "letter")
        return badInput(err, {base::ErrorCode::InvalidArgument, paper + " is not one of: a4, letter", "--paper"});
    auto loaded = soundRecipe(a->words[0], err, a->option("--variant"));
    if (!loaded) return kBadInput;
    std::vector<std::string> inputs = filesOf(a->words[0], *loaded);
    inputs.insert(inputs.end(), a->words.begin() + 1, a->words.end());
    for (const char* file : {"--json", "--pdf"})
        if (auto ok = keepsInputs(file, a->option(file), inputs); !ok) return badInput(err, ok.error());
    std::shared_ptr<const inspect::Prepared> before;
    if (*against > 0) {
        for (const auto& r : loaded->history)
            if (r->number == int(*against)) {
                auto was = recipe::recipeOf(*r);
                if (!was) return badInput(err, was.error());
                was->trials = loaded->trials, was->proof = loaded->proof;
                auto made = inspect::Prepared::make(std::move(*was));
                if (!made) return badInput(err, made.error());
                before = std::make_shared<const inspect::Prepared>(std::move(*made));
            }
        if (!before)
            return badInput(err, {base::ErrorCode::NotFound, "the recipe has no revision " + std::to_string(*against),
                                  "--against"});
    }
    auto made = inspect::Prepared::make(std::move(*loaded));
    if (!made) return badInput(err, made.error());
    const auto prepared = std::make_shared<const inspect::Prepared>(std::move(*made));
    const recipe::Recipe& recipe = prepared->recipe();
    proof::Settings settings;
    settings.quick = a->options.count("--quick") > 0, settings.seed = std::uint64_t(*seed),
    settings.threads = int(*jobs);
    const std::vector<std::string> pictures(a->words.begin() + 1, a->words.end());
    const auto proved = proof::prove(prepared, pictures, settings);
    if (!proved) return badInput(err, proved.error());
    report::Approval approval;
    approval.proved = QLocale::c().toString(QDateTime::currentDateTime(), QStringLiteral("d MMM yyyy HH:mm"));
    const std::string jsonFile = a->option("--json");
    std::ostream& text = jsonFile == "-" ? err : out;
    tell(*proved, recipe, text);
    if (before) {
        const auto was = proof::prove(before, pictures, settings);
        if (!was) return badInput(err, was.error());
        approval.against = proof::compared(*was, *proved), approval.againstRevision = int(*against);
        text << "\nagainst revision " << *against << ": " << approval.against.better.size() << " better, "
             << approval.against.worse.size() << " worse\n";
        for (const auto& w : approval.against.worse) text << "  worse: " << w << "\n";
        for (const auto& b : approval.against.better) text << "  better: " << b << "\n";
    }
    text << (proved->met() ? "all that is asked for is met" : "something that is asked for is not met") << "; "
         << base::toText(proved->seconds, 1) << " s\n";
    if (const std::string pdf = a->option("--pdf"); !pdf.empty()) {
        report::loadFonts();
        if (auto ok = report::writeProofPdf(QString::fromStdString(pdf), *proved, recipe, approval,
                                            paper == "letter" ? report::Paper::Letter : report::Paper::A4);
            !ok)
            return badInput(err, ok.error());
    }
    if (const int code = writeJson(jsonFile, ordered_json::parse(proof::toJson(*proved).dump()), out, err);
        code != kDone)
        return code;
    return proved->met() ? kDone : kSomeRejected;
}

} // namespace cli
