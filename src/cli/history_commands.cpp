#include "cli/history_commands.h"

#include "cli/arguments.h"
#include "cli/checked_recipe.h"
#include "cli/json_results.h"
#include "inspect/comparing.h"
#include "recipe/differences.h"
#include "recipe/history.h"
#include "recipe/recipe_file.h"

#include <ostream>

namespace cli
{
using nlohmann::ordered_json;

base::Result<recipe::Recipe> revisionAt(const std::string& word)
{
    const auto at = word.rfind('@');
    const bool numbered = at != std::string::npos && at + 1 < word.size() &&
                          word.find_first_not_of("0123456789", at + 1) == std::string::npos && word.size() - at < 10;
    if (!numbered) return recipe::load(word);
    auto whole = recipe::load(word.substr(0, at));
    if (!whole) return whole;
    const int number = std::stoi(word.substr(at + 1));
    if (const recipe::Revision* r = recipe::revisionNumber(*whole, number)) {
        auto was = recipe::recipeOf(*r);
        if (was) was->trials = whole->trials, was->setAside = whole->setAside;
        return was;
    }
    std::string there;
    for (const auto& r : whole->history) there += (there.empty() ? "" : ", ") + std::to_string(r->number);
    return base::fail(base::ErrorCode::NotFound,
                      "there is no revision " + std::to_string(number) +
                          (there.empty() ? "; none was kept" : "; there are " + there),
                      word.substr(0, at));
}

int history(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    const auto a = Arguments::read(arguments, {"--json"}, {});
    if (!a) return badInput(err, a.error());
    if (a->words.size() != 1) {
        err << "dikkat-cli: history takes one recipe (dikkat-cli help says how)\n";
        return kBadInput;
    }
    const auto loaded = recipe::load(a->words[0]);
    if (!loaded) return badInput(err, loaded.error());
    const std::string json = a->option("--json");
    if (auto ok = keepsInputs("--json", json, filesOf(a->words[0], *loaded)); !ok) return badInput(err, ok.error());
    std::ostream& table = json == "-" ? err : out;
    ordered_json list = ordered_json::array();
    for (const auto& r : loaded->history) {
        table << "revision " << r->number << "  " << r->at << (r->by.empty() ? "" : "  " + r->by)
              << (r->why.empty() ? "" : "  \"" + r->why + "\"") << "\n";
        for (const std::string& c : r->changes) table << "    " << c << "\n";
        list.push_back({{"number", r->number}, {"at", r->at}, {"by", r->by}, {"why", r->why}, {"changes", r->changes}});
    }
    if (loaded->history.empty()) table << "no revision was kept: the recipe was not saved in the window yet\n";
    return writeJson(json, {{"recipe", loaded->name}, {"revision", loaded->revision}, {"revisions", list}}, out, err);
}

int compare(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    const auto a = Arguments::read(arguments, {"--json", "--jobs"}, {});
    if (!a) return badInput(err, a.error());
    if (a->words.size() < 2) {
        err << "dikkat-cli: compare takes two recipes, each RECIPE or RECIPE@REVISION (dikkat-cli help says how)\n";
        return kBadInput;
    }
    const auto jobs = a->number("--jobs", 0, 0, 1024);
    if (!jobs) return badInput(err, jobs.error());
    const auto before = revisionAt(a->words[0]), now = revisionAt(a->words[1]);
    if (!before) return badInput(err, before.error());
    if (!now) return badInput(err, now.error());
    std::vector<std::string> pictures(a->words.begin() + 2, a->words.end());
    if (pictures.empty())
        for (const auto& t : now->trials) pictures.push_back(t.picture);
    const std::string json = a->option("--json");
    std::vector<std::string> read = pictures;
    for (int i = 0; i < 2; ++i) read.push_back(a->words[std::size_t(i)]);
    if (auto ok = keepsInputs("--json", json, read); !ok) return badInput(err, ok.error());
    const auto words = recipe::differences(*before, *now);
    std::ostream& table = json == "-" ? err : out;
    for (const std::string& w : words) table << w << "\n";
    if (words.empty()) table << "nothing differs\n";
    const auto changes = inspect::compareOn(pictures, *before, *now, nullptr, nullptr, int(*jobs));
    ordered_json list = ordered_json::array();
    std::size_t changed = 0, unread = 0;
    for (const auto& c : changes) {
        changed += c.verdictChanged();
        if (c.error) {
            ++unread;
            badInput(err, {base::ErrorCode::Io, *c.error, ""});
            list.push_back({{"picture", c.picture}, {"error", *c.error}});
            continue;
        }
        if (c.same()) continue;
        ordered_json one{{"picture", c.picture},
                         {"before", inspect::name(c.before)},
                         {"now", inspect::name(c.now)},
                         {"items", {c.itemsBefore, c.itemsNow}},
                         {"checks", ordered_json::array()}};
        table << c.picture << ": " << inspect::name(c.now) << ", before " << inspect::name(c.before) << "\n";
        for (const auto& k : c.checks) {
            table << "    " << inspect::words(k) << "\n";
            one["checks"].push_back({{"item", k.item},
                                     {"check", k.name},
                                     {"before", inspect::name(k.before)},
                                     {"now", inspect::name(k.now)},
                                     {"value_before", k.valueBefore},
                                     {"value_now", k.valueNow}});
        }
        list.push_back(std::move(one));
    }
    table << changed << " of " << changes.size() << " pictures change their verdict\n";
    if (const int code = writeJson(
            json, {{"differences", words}, {"pictures", changes.size()}, {"changed", changed}, {"changes", list}}, out,
            err);
        code != kDone)
        return code;
    return unread ? kBadInput : changed ? kSomeRejected : kDone;
}

} // namespace cli
