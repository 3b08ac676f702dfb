#include "records/again.h"

#include "base/files.h"
#include "base/text.h"

#include <algorithm>
#include <filesystem>

namespace records
{
namespace fs = std::filesystem;
using base::ErrorCode;
using base::fail;

namespace
{
base::Result<image::FileBytes> pictureOf(const PictureRow& picture, const std::string& original, const std::string& log,
                                         long long item)
{
    std::vector<std::string> places;
    if (!picture.kept.isEmpty()) {
        const fs::path kept = picture.kept.toStdString();
        places.push_back(kept.string());
        places.push_back((fs::path(log).parent_path() / "pictures" / kept.parent_path().filename() / kept.filename())
                             .string()); // moved with its log
    }
    if (!picture.hash.isEmpty()) places.push_back(original);
    bool other = false;
    for (const std::string& place : places) {
        auto bytes = base::readFile(place);
        if (!bytes) continue;
        if (base::sha256(*bytes) == picture.hash.toStdString())
            return image::FileBytes{picture.key.toStdString(), place,
                                    std::make_shared<const std::string>(std::move(*bytes))};
        other = true;
    }
    const std::string why = other                    ? "what stands under its name is another picture"
                            : picture.kept.isEmpty() ? picture.notKept.toStdString()
                                                     : "it is gone from " + picture.kept.toStdString();
    const std::string key = picture.key.isEmpty() ? "" : " \"" + picture.key.toStdString() + "\"";
    return fail(ErrorCode::NotFound, "item " + std::to_string(item) + ": the picture" + key + " is not there: " + why,
                log);
}
} // namespace

base::Result<image::Capture> captureOf(const RecordLog& records, const ItemRow& row, const image::Naming& naming)
{
    const std::string log = records.path().toStdString();
    auto pictures = records.pictures(row.id);
    if (!pictures) return base::passOn(pictures.error());
    if (pictures->empty()) pictures->push_back({"", row.pictureHash, row.kept, row.notKept});
    const std::string first = row.picture.toStdString();
    const auto originals = image::filesOf(naming, first);
    std::vector<image::FileBytes> files;
    for (const PictureRow& p : *pictures) {
        std::string original = first;
        if (originals)
            for (const auto& [key, file] : originals->files)
                if (key == p.key.toStdString()) original = file;
        auto one = pictureOf(p, original, log, row.id);
        if (!one) return base::passOn(one.error());
        files.push_back(std::move(*one));
    }
    return image::captureOf(naming, files, first);
}

base::Result<std::shared_ptr<const inspect::Prepared>> OwnRecipes::of(const RecordLog& log, const ItemRow& row)
{
    auto& known = m_known[row.identity.toStdString()];
    if (known && !row.identity.isEmpty()) return known;
    auto recipe = log.recipeOf(row.id);
    if (!recipe) return base::passOn(recipe.error());
    auto made = inspect::Prepared::make(std::move(*recipe));
    if (!made) return base::passOn(made.error());
    known = std::make_shared<const inspect::Prepared>(std::move(*made));
    return known;
}

bool Again::same() const
{
    return !verdictChanged() && row.sentence.toStdString() == sentenceNow &&
           std::all_of(checks.begin(), checks.end(), [](const CheckAgain& c) { return c.same(); });
}

base::Result<Again> inspectAgain(const RecordLog& log, long long id, const inspect::Prepared& with)
{
    Again out;
    auto row = log.item(id);
    if (!row) return base::passOn(row.error());
    out.row = std::move(*row);
    if (out.row.verdict == QLatin1String("error"))
        return fail(ErrorCode::NotFound,
                    "item " + std::to_string(id) + ": the picture could not be read when it was inspected",
                    log.path().toStdString());
    const auto values = log.values(id);
    if (!values) return base::passOn(values.error());
    auto capture = captureOf(log, out.row, with.recipe().pictures);
    if (!capture) return base::passOn(capture.error());
    out.capture = std::make_shared<const image::Capture>(std::move(*capture));
    out.result =
        std::make_shared<const inspect::PictureResult>(inspect::evaluate(with, *out.capture, nullptr, nullptr, 0));
    for (std::size_t i = 0; i < out.result->items.size(); ++i)
        if (out.result->items[i].number == out.row.item) out.item = int(i);
    const inspect::ItemResult* now = out.itemNow();
    for (const ValueRow& v : *values)
        out.checks.push_back({v.name.toStdString(),
                              v.step.toStdString(),
                              v.output.toStdString(),
                              v.unit.toStdString(),
                              "",
                              true,
                              false,
                              v.values,
                              {},
                              v.verdict.toStdString(),
                              "",
                              v.reason.toStdString(),
                              ""});
    if (!now) {
        out.verdictNow = "none of this number";
        return out;
    }
    out.verdictNow = inspect::name(now->outcome), out.sentenceNow = now->sentence();
    // By step and output; a check that was made anew, by its name.
    for (const inspect::CheckResult& c : now->checks) {
        const auto fits = [&](auto same) {
            return std::find_if(out.checks.begin(), out.checks.end(),
                                [&](const CheckAgain& a) { return !a.isThere && same(a); });
        };
        auto at = fits([&](const CheckAgain& a) { return a.step == c.step && a.output == c.output; });
        if (at == out.checks.end()) at = fits([&](const CheckAgain& a) { return a.name == c.name; });
        if (at == out.checks.end()) at = out.checks.insert(out.checks.end(), CheckAgain{});
        if (!at->wasThere) at->name = c.name, at->step = c.step, at->output = c.output;
        at->unitNow = base::symbol(c.unit);
        at->isThere = true;
        at->now = c.values, at->verdictNow = inspect::name(c.verdict), at->reasonNow = c.reason;
    }
    return out;
}

} // namespace records
