#include "cli/review_command.h"

#include "base/parallel.h"
#include "cli/arguments.h"
#include "cli/checked_recipe.h"
#include "cli/json_results.h"
#include "image/decode.h"
#include "inspect/review.h"
#include "recipe/recipe_file.h"

#include <iostream>

namespace cli
{
using nlohmann::ordered_json;

int review(const std::vector<std::string>& arguments, std::ostream& out, std::ostream& err)
{
    const auto a = Arguments::read(arguments, {"--json", "--jobs", "--variant"}, {});
    if (!a) return badInput(err, a.error());
    if (a->words.size() != 1) {
        err << "dikkat-cli: review takes one recipe (dikkat-cli help says how)\n";
        return kBadInput;
    }
    const auto jobs = a->number("--jobs", 0, 0, 1024);
    if (!jobs) return badInput(err, jobs.error());
    auto loaded = soundRecipe(a->words[0], err, a->option("--variant"));
    if (!loaded) return kBadInput;
    if (auto ok = keepsInputs("--json", a->option("--json"), filesOf(a->words[0], *loaded)); !ok)
        return badInput(err, ok.error());
    auto prepared = inspect::Prepared::make(std::move(*loaded));
    if (!prepared) return badInput(err, prepared.error());
    const recipe::Recipe& recipe = prepared->recipe();
    std::vector<inspect::PictureResult> results(recipe.trials.size());
    base::parallelFor(int(results.size()), int(*jobs), [&](int n) {
        const auto i = std::size_t(n);
        auto capture = image::loadCapture(recipe.trials[i].picture, recipe.pictures);
        if (capture) results[i] = inspect::evaluate(*prepared, *capture);
        else results[i].picture = recipe.trials[i].picture, results[i].error = capture.error().text();
    });
    std::vector<const inspect::PictureResult*> trials;
    for (const auto& r : results) trials.push_back(&r);
    const auto findings = inspect::review(recipe, trials);
    const std::string jsonFile = a->option("--json");
    std::ostream& table = jsonFile == "-" ? err : out;
    for (const auto& f : findings)
        table << inspect::title(f.doubt) << ": " << f.subject << ": " << f.text << " (" << f.remedy << ")\n";
    table << (findings.empty()
                  ? "nothing doubtful found"
                  : std::to_string(findings.size()) + (findings.size() == 1 ? " thing" : " things") + " to look at")
          << "; " << recipe.trials.size() << (recipe.trials.size() == 1 ? " trial\n" : " trials\n");
    ordered_json list = ordered_json::array();
    for (const auto& f : findings) {
        ordered_json j{{"doubt", inspect::name(f.doubt)}, {"about", f.subject}, {"text", f.text}, {"remedy", f.remedy}};
        if (!f.step.empty()) j["step"] = f.step;
        if (!f.output.empty()) j["output"] = f.output;
        if (f.trial >= 0) j["picture"] = recipe.trials[std::size_t(f.trial)].picture;
        list.push_back(std::move(j));
    }
    if (const int code = writeJson(jsonFile,
                                   {{"recipe", recipe.name},
                                    {"revision", recipe.revision},
                                    {"trials", recipe.trials.size()},
                                    {"findings", list}},
                                   out, err);
        code != kDone)
        return code;
    return findings.empty() ? kDone : kSomeRejected;
}

} // namespace cli
