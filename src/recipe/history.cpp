#include "recipe/history.h"

#include "base/text.h"
#include "recipe/differences.h"
#include "recipe/recipe_file.h"
#include "recipe/recipe_json.h"

#include <filesystem>

namespace recipe
{
using base::ErrorCode;
using base::fail;
using nlohmann::json;

namespace
{
const std::string kIndex = "history.json", kFolder = "history/";

std::string textName(int number) { return kFolder + std::to_string(number) + ".json"; }
// Names a picture by what it is.
std::string hashName(const std::string& bytes, const std::string& name)
{
    return base::sha256(bytes).substr(0, 24) + std::filesystem::path(name).extension().string();
}
// Its own pictures under the names revisions use for them.
std::map<std::string, std::shared_ptr<const std::string>> byHash(const Recipe& r)
{
    std::map<std::string, std::shared_ptr<const std::string>> out;
    for (const Asset::File* f : assetFiles(r)) out[hashName(*f->bytes, f->name)] = f->bytes;
    return out;
}
} // namespace

bool keepRevision(Recipe& r, const std::string& by, const std::string& why, const std::string& at)
{
    auto made = std::make_shared<Revision>();
    made->number = r.revision, made->at = at, made->by = by, made->why = why;
    Recipe copy = r;
    copy.history.clear();
    const auto name = [&](Recipe& of) {
        for (const auto& [role, asset] : of.carried())
            for (Asset::File& f : asset->files) {
                f.name = hashName(*f.bytes, f.name);
                made->files[f.name] = f.bytes;
            }
    };
    name(copy);
    for (auto& v : copy.variants) {
        auto own = std::make_shared<Recipe>(*v);
        name(*own);
        v = std::move(own);
    }
    made->text = toJson(copy, "/").dump(-1, ' ', false, json::error_handler_t::replace);
    if (!r.history.empty()) {
        const Revision& last = *r.history.back();
        if (auto before = recipeOf(last)) {
            made->changes = differences(*before, r);
            for (std::string& words : trialDifferences(*before, r)) made->changes.push_back(std::move(words));
        } else {
            made->changes = {"the revision before cannot be read"};
        }
        if (made->changes.empty() && last.number == r.revision) return false;
    }
    r.history.push_back(std::move(made));
    if (r.history.size() > kMostRevisions) r.history.erase(r.history.begin());
    return true;
}

base::Result<Recipe> recipeOf(const Revision& revision)
{
    return fromText(revision.text, "/", "revision " + std::to_string(revision.number),
                    [&](const std::string& name) -> base::Result<std::string> {
                        const auto it = revision.files.find(name);
                        if (it == revision.files.end())
                            return fail(ErrorCode::NotFound, "its picture \"" + name + "\" was not kept");
                        return *it->second;
                    });
}

const Revision* revisionNumber(const Recipe& r, int number)
{
    for (auto it = r.history.rbegin(); it != r.history.rend(); ++it)
        if ((*it)->number == number) return it->get();
    return nullptr;
}

std::map<std::string, std::shared_ptr<const std::string>> historyMembers(const Recipe& r)
{
    std::map<std::string, std::shared_ptr<const std::string>> out;
    if (r.history.empty()) return out;
    const auto own = byHash(r);
    json index{{"format", "dikkat-history"}, {"version", 1}, {"revisions", json::array()}};
    for (std::size_t i = 0; i < r.history.size(); ++i) {
        const Revision& one = *r.history[i];
        // Numbers can come twice, after a step was taken back; the place in the list cannot.
        std::string name = textName(one.number);
        for (int n = 2; out.count(name); ++n)
            name = kFolder + std::to_string(one.number) + "-" + std::to_string(n) + ".json";
        json said{{"number", one.number}, {"at", one.at}, {"recipe", name}, {"changes", one.changes}};
        if (!one.by.empty()) said["by"] = one.by;
        if (!one.why.empty()) said["why"] = one.why;
        for (const auto& [file, bytes] : one.files) {
            said["files"].push_back(file);
            if (!own.count(file)) out[kFolder + file] = bytes;
        }
        out[name] = std::make_shared<const std::string>(one.text);
        index["revisions"].push_back(std::move(said));
    }
    out[kIndex] = std::make_shared<const std::string>(index.dump(2, ' ', false, json::error_handler_t::replace) + "\n");
    return out;
}

base::Status readHistory(Recipe& r, const std::function<base::Result<std::string>(const std::string&)>& member)
{
    const auto text = member(kIndex);
    if (!text) return text.error().code == ErrorCode::NotFound ? base::Status{} : base::passOn(text.error());
    const auto parsed = parseJson(*text);
    if (!parsed) return base::passOn(parsed.error(), kIndex);
    ObjectReader o(*parsed, kIndex);
    std::string format;
    int version = 0;
    o.text("format", format, true), o.whole("version", version, 1, 1, true);
    if (!format.empty() && format != "dikkat-history") o.wrong("format must be \"dikkat-history\"");
    const json* revisions = o.field("revisions");
    if (!revisions || !revisions->is_array() || revisions->size() > kMostRevisions)
        o.wrong("revisions must be a list of at most " + std::to_string(kMostRevisions));
    if (auto ok = o.done(); !ok) return ok;
    auto pictures = byHash(r);
    for (std::size_t i = 0; i < revisions->size(); ++i) {
        ObjectReader one((*revisions)[i], kIndex + ": revisions[" + std::to_string(i) + "]");
        auto made = std::make_shared<Revision>();
        std::string recipe;
        one.whole("number", made->number, 1, 1'000'000'000, true);
        one.text("at", made->at, true), one.text("by", made->by), one.text("why", made->why);
        one.text("recipe", recipe, true);
        const auto texts = [&](const char* key) {
            std::vector<std::string> out;
            const json* list = one.field(key);
            if (list && !list->is_array()) one.wrong(std::string(key) + " must be a list of texts");
            for (std::size_t k = 0; list && list->is_array() && k < list->size(); ++k)
                if ((*list)[k].is_string()) out.push_back((*list)[k].get<std::string>());
                else one.wrong(std::string(key) + " must be a list of texts");
            return out;
        };
        made->changes = texts("changes");
        const std::vector<std::string> files = texts("files");
        if (auto ok = one.done(); !ok) return ok;
        if (recipe.compare(0, kFolder.size(), kFolder) != 0 || recipe.find("..") != std::string::npos)
            return fail(ErrorCode::InvalidArgument, "recipe = \"" + recipe + "\" must lie in " + kFolder, one.where());
        auto whole = member(recipe);
        if (!whole) return base::passOn(whole.error(), one.where());
        made->text = std::move(*whole);
        for (const std::string& name : files) {
            if (name.find('/') != std::string::npos)
                return fail(ErrorCode::InvalidArgument, "the file \"" + name + "\" must be a name without folders",
                            one.where());
            auto& bytes = pictures[name];
            if (!bytes) {
                auto read = member(kFolder + name);
                if (!read) return base::passOn(read.error(), one.where());
                bytes = std::make_shared<const std::string>(std::move(*read));
            }
            made->files[name] = bytes;
        }
        r.history.push_back(std::move(made));
    }
    return {};
}

} // namespace recipe
