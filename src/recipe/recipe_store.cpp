#include "recipe/recipe_file.h"

#include "base/text.h"
#include "base/zip.h"
#include "recipe/history.h"
#include "recipe/recipe_json.h"

#include <filesystem>
#include <fstream>
#include <set>

namespace recipe
{
using base::ErrorCode;
using base::fail;
using nlohmann::json;
namespace fs = std::filesystem;

namespace
{
std::string folderOf(const fs::path& path)
{
    const fs::path parent = path.parent_path();
    return parent.empty() ? "." : parent.string();
}

// A history beside a recipe whose file has another name than recipe.json bears that name too.
std::string beside(const fs::path& recipe)
{
    return recipe.filename() == "recipe.json" ? std::string() : recipe.stem().string() + ".";
}
using Read = std::function<base::Result<std::string>(const std::string&)>;

base::Result<Recipe> loadText(const std::string& text, const std::string& folder, const fs::path& file)
{
    auto r = fromText(text, folder, file.string(),
                      [&](const std::string& name) { return base::readFile((fs::path(folder) / name).string()); });
    if (!r) return r;
    const Read read = [&](const std::string& name) {
        return base::readFile((fs::path(folder) / (beside(file) + name)).string());
    };
    if (auto ok = readHistory(*r, read); !ok) return base::passOn(ok.error(), file.string());
    return r;
}

const std::string kTrials = "trials/";

base::Result<Recipe> loadMembers(const base::Members& members, const std::string& name, const std::string& folder)
{
    const auto text = members.find("recipe.json");
    if (text == members.end()) return fail(ErrorCode::Corrupt, "the packed recipe holds no recipe.json", name);
    const Read read = [&](const std::string& wanted) -> base::Result<std::string> {
        const auto it = members.find(wanted);
        if (it == members.end()) return fail(ErrorCode::NotFound, "the packed recipe holds no \"" + wanted + "\"");
        return it->second;
    };
    auto r = fromText(text->second, folder, name + ": recipe.json", read);
    if (!r) return r;
    if (auto ok = readHistory(*r, read); !ok) return base::passOn(ok.error(), name);
    return r;
}
} // namespace

base::Result<Recipe> load(const std::string& path)
{
    std::error_code ignored;
    if (fs::is_directory(path, ignored)) {
        const fs::path file = fs::path(path) / "recipe.json";
        auto text = base::readFile(file.string(), kLargestRecipeText);
        if (!text) return base::passOn(text.error());
        return loadText(*text, path, file);
    }
    bool zip = false;
    if (fs::is_regular_file(path, ignored)) {
        char head[2] = {};
        std::ifstream(path, std::ios::binary).read(head, 2);
        zip = base::isZip(std::string(head, 2));
    }
    const std::string folder = folderOf(path);
    if (!zip) {
        auto text = base::readFile(path, kLargestRecipeText);
        if (!text) return base::passOn(text.error());
        const auto first = text->find_first_not_of(" \t\r\n\xef\xbb\xbf");
        if (first == std::string::npos || (*text)[first] != '{')
            return fail(ErrorCode::Corrupt, "neither a packed recipe (zip) nor JSON", path);
        return loadText(*text, folder, path);
    }
    // Pictures of trials are read one by one, when they are looked at.
    auto members = base::readZipFile(path, kTrials);
    if (!members) return base::passOn(members.error());
    auto r = loadMembers(*members, path, folder);
    if (!r) return r;
    const std::vector<std::string> names = base::membersOf(path, kTrials);
    const std::set<std::string> inside(names.begin(), names.end());
    const auto pointInside = [&](Recipe& of) {
        for (Trial& t : of.trials)
            if (const std::string name = fs::path(t.picture).lexically_relative(folder).generic_string();
                inside.count(name))
                t.picture = (fs::path(path) / name).string();
    };
    pointInside(*r);
    for (auto& v : r->variants) {
        auto own = std::make_shared<Recipe>(*v);
        pointInside(*own);
        v = std::move(own);
    }
    return r;
}

base::Result<Recipe> unpacked(const std::string& bytes, const std::string& name, const std::string& folder)
{
    auto members = base::readZip(bytes);
    if (!members) return base::passOn(members.error(), name);
    return loadMembers(*members, name, folder);
}

namespace
{
// The names its pictures have inside of the recipe: plain, different, and none of them recipe.json.
void giveInnerNames(Recipe& r, std::set<std::string>& taken)
{
    for (const auto& [role, asset] : r.carried())
        for (Asset::File& f : asset->files) {
            const std::string leaf = fs::path(f.name).filename().string();
            std::string name = leaf;
            if (taken.count(name)) name = role + "-" + leaf;
            for (int n = 2; !taken.insert(name).second; ++n) name = role + std::to_string(n) + "-" + leaf;
            f.name = name;
        }
}
Recipe withInnerNames(const Recipe& r)
{
    Recipe copy = r;
    std::set<std::string> taken{"recipe.json", "history.json", ""};
    giveInnerNames(copy, taken);
    for (auto& v : copy.variants) {
        auto own = std::make_shared<Recipe>(*v);
        giveInnerNames(*own, taken);
        v = std::move(own);
    }
    return copy;
}
base::Result<std::string> textOf(const Recipe& r, const std::string& folder, const std::string& path)
{
    try {
        return toJson(r, folder).dump(2) + "\n";
    } catch (const json::exception&) {
        for (std::size_t i = 0; i < r.trials.size(); ++i)
            if (!base::isUtf8(r.trials[i].picture))
                return fail(
                    ErrorCode::InvalidArgument,
                    "the path is no UTF-8 text and cannot be written: move the picture below the recipe's folder",
                    "trials[" + std::to_string(i) + "]: picture");
        return fail(ErrorCode::InvalidArgument, "a name is no UTF-8 text and cannot be written", path);
    }
}
base::Members membersFor(const Recipe& inner, std::string text)
{
    base::Members members{{"recipe.json", std::move(text)}};
    for (const Asset::File* f : assetFiles(inner)) members[f->name] = *f->bytes;
    return members;
}
} // namespace

base::Result<std::string> packed(const Recipe& r, const std::string& folder)
{
    Recipe alone = r; // the variant in work
    alone.variants.clear();
    const Recipe inner = withInnerNames(alone);
    auto text = textOf(inner, folder, inner.name);
    if (!text) return base::passOn(text.error());
    return base::writeZip(membersFor(inner, std::move(*text)));
}

Recipe bareOf(const Recipe& r)
{
    Recipe bare = r;
    bare.trials.clear();
    bare.trialsInside = false;
    bare.setAside.clear();
    bare.proof = {};
    bare.history.clear();
    bare.arrangement.clear();
    bare.variant.clear();
    bare.variants.clear();
    bare.revision = 1;
    bare.reference = {};
    bare.empty = {};
    bare.drawing = {};
    return bare;
}

std::string identity(const Recipe& r)
{
    Recipe bare = bareOf(r);
    for (Step& s : bare.steps)
        for (Check& c : s.checks)
            if (!c.limits.any() && c.elements.empty()) c.limits.unit = base::Unit::None; // of no limits
    json plain = toJson(bare, "");
    plain["version"] = 1; // of the identity: a newer way of writing makes no other recipe
    std::string all = plain.dump(-1, ' ', false, json::error_handler_t::replace);
    for (const auto& [role, member] : Recipe::assets()) {
        const Asset& asset = r.*member;
        // Recipes without a drawing are those they were before there were any.
        if (asset.files.empty() && member == &Recipe::drawing) continue;
        if (asset.files.empty()) all += "\nnone";
        for (const Asset::File& f : asset.files) all += "\n" + f.key + base::sha256(*f.bytes);
    }
    for (const LearnedSample& s : r.samples)
        for (const Asset::File& f : s.picture.files) all += "\nsample" + f.key + base::sha256(*f.bytes);
    return base::sha256(all);
}

namespace
{
// A picture that is saved inside: where it is read from and what it is called there.
struct Going {
    std::string from, name;
};
// Gives each trial that goes along its name inside of the recipe; what cannot be read stays where it is.
void goAlong(const Recipe& r, Recipe& copy, const std::string& place, const std::string& target, bool inside,
             std::set<std::string>& taken, std::vector<Going>& out)
{
    const auto filesOf = [&](const std::string& picture) {
        std::vector<std::string> files;
        if (const auto all = image::filesOf(r.pictures, picture))
            for (const auto& [key, file] : all->files) files.push_back(file);
        return files;
    };
    // Those that are inside already keep their names.
    const auto known = [&](const std::string& file) -> std::string {
        const auto in = base::insideOf(file);
        if (in && (in->archive == target || base::sameFile(in->archive, target))) return in->member;
        const std::string near = fs::path(file).lexically_relative(place).generic_string();
        return near.compare(0, kTrials.size(), kTrials) == 0 && target.empty() ? near : std::string();
    };
    std::vector<std::size_t> fresh;
    const auto add = [&](std::size_t i, const std::string& folder) {
        for (const std::string& file : filesOf(r.trials[i].picture)) {
            const std::string name = folder + fs::path(file).filename().string();
            taken.insert(name);
            out.push_back({file, name});
        }
        const std::string leaf = fs::path(r.trials[i].picture).filename().string();
        copy.trials[i].picture = (fs::path(place) / (folder + leaf)).string();
    };
    for (std::size_t i = 0; i < r.trials.size(); ++i) {
        const std::string& picture = r.trials[i].picture;
        const auto files = filesOf(picture);
        if (files.empty() ||
            std::any_of(files.begin(), files.end(), [](const auto& f) { return base::stampOf(f).empty(); }))
            continue;
        const std::string name = known(picture);
        if (!name.empty()) add(i, name.substr(0, name.rfind('/') + 1));
        else if (inside) fresh.push_back(i);
    }
    for (const std::size_t i : fresh) {
        std::string folder = kTrials;
        const auto free = [&] {
            const auto files = filesOf(r.trials[i].picture);
            return std::none_of(files.begin(), files.end(), [&](const std::string& f) {
                return taken.count(folder + fs::path(f).filename().string());
            });
        };
        for (int n = 2; !free(); ++n) folder = kTrials + std::to_string(n) + "/";
        add(i, folder);
    }
}
std::vector<Going> goingAlong(const Recipe& r, Recipe& copy, const std::string& place, const std::string& target)
{
    std::vector<Going> out;
    std::set<std::string> taken;
    goAlong(r, copy, place, target, r.trialsInside, taken, out);
    for (std::size_t i = 0; i < r.variants.size(); ++i) {
        auto own = std::make_shared<Recipe>(*copy.variants[i]);
        goAlong(*r.variants[i], *own, place, target, r.trialsInside, taken, out);
        copy.variants[i] = std::move(own);
    }
    return out;
}

base::Status copyFile(base::FileSystem& files, const std::string& from, const std::string& to)
{
    if (base::sameFile(from, to)) return {};
    auto bytes = base::readFile(from);
    if (!bytes) return base::passOn(bytes.error());
    std::error_code error;
    fs::create_directories(fs::path(to).parent_path(), error);
    if (error) return fail(ErrorCode::Io, "cannot make the folder: " + error.message(), to);
    return base::writeAtomic(files, to, *bytes);
}
} // namespace

std::vector<const Asset::File*> assetFiles(const Recipe& r)
{
    std::vector<const Asset::File*> out;
    for (const auto& [role, asset] : r.carried())
        for (const Asset::File& f : asset->files) out.push_back(&f);
    for (const auto& v : r.variants)
        for (const Asset::File* f : assetFiles(*v)) out.push_back(f);
    return out;
}

Carried carried(const Recipe& r)
{
    Carried out;
    for (const auto& v : r.variants) {
        const Carried more = carried(*v);
        out.pictures += more.pictures, out.missing += more.missing, out.bytes += more.bytes;
    }
    for (const Trial& t : r.trials) {
        const auto files = image::filesOf(r.pictures, t.picture);
        bool missing = !files;
        std::uint64_t bytes = 0;
        for (std::size_t i = 0; files && i < files->files.size(); ++i) {
            std::error_code error;
            const std::string& file = files->files[i].second;
            if (const auto in = base::insideOf(file)) {
                const auto size = base::sizeOf(*in);
                missing = missing || !size;
                bytes += size.value_or(0);
            } else {
                const auto size = fs::file_size(file, error);
                missing = missing || error;
                bytes += error ? 0 : size;
            }
        }
        ++(missing ? out.missing : out.pictures);
        if (!missing) out.bytes += bytes;
    }
    return out;
}

base::Status save(const Recipe& r, const std::string& path, base::FileSystem& files, bool pictures, base::Watch* watch)
{
    std::error_code ignored;
    const bool folder = fs::is_directory(path, ignored);
    const bool plain = !folder && fs::path(path).extension() == ".json";
    const std::string place = folder ? path : folderOf(path);
    Recipe copy = withInnerNames(r);
    const auto going =
        pictures ? goingAlong(r, copy, place, folder || plain ? std::string() : path) : std::vector<Going>{};
    auto text = textOf(copy, place, path);
    if (!text) return base::passOn(text.error());
    auto history = historyMembers(r);
    if (!folder && !plain) {
        base::Members members = membersFor(copy, std::move(*text));
        for (const auto& [name, bytes] : history) members[name] = *bytes;
        if (going.empty()) {
            auto bytes = base::writeZip(members);
            if (!bytes) return base::passOn(bytes.error(), path);
            return base::writeAtomic(files, path, *bytes);
        }
        std::vector<base::Member> all;
        for (auto& [name, bytes] : members)
            all.push_back({name, std::make_shared<const std::string>(std::move(bytes))});
        for (const Going& g : going) all.push_back({g.name, nullptr, g.from});
        return base::writeZipFile(files, path, all, watch);
    }
    for (const Going& g : going)
        if (auto ok = copyFile(files, g.from, (fs::path(place) / g.name).string()); !ok) return ok;
    for (const Asset::File* f : assetFiles(copy))
        if (auto ok = base::writeAtomic(files, (fs::path(place) / f->name).string(), *f->bytes); !ok) return ok;
    // What was said of earlier revisions stands there already; the index comes after what it names.
    const std::string file = folder ? (fs::path(path) / "recipe.json").string() : path;
    const std::string own = beside(file);
    std::shared_ptr<const std::string> index;
    for (const auto& [name, bytes] : history) {
        const fs::path at = fs::path(place) / (own + name);
        if (name == "history.json") {
            index = bytes;
            continue;
        }
        if (fs::file_size(at, ignored) == bytes->size())
            if (const auto there = base::readFile(at.string()); there && *there == *bytes) continue;
        fs::create_directories(at.parent_path(), ignored);
        if (auto ok = base::writeAtomic(files, at.string(), *bytes); !ok) return ok;
    }
    if (index)
        if (auto ok = base::writeAtomic(files, (fs::path(place) / (own + "history.json")).string(), *index); !ok)
            return ok;
    return base::writeAtomic(files, file, *text);
}

base::Status pack(const std::string& folder, const std::string& recipePath)
{
    auto r = load(folder);
    if (!r) return base::passOn(r.error());
    return save(*r, recipePath);
}

base::Status unpack(const std::string& recipePath, const std::string& folder, bool overwrite)
{
    auto r = load(recipePath);
    if (!r) return base::passOn(r.error());
    std::error_code error;
    fs::create_directories(folder, error);
    if (error) return fail(ErrorCode::Io, "cannot make the folder: " + error.message(), folder);
    std::vector<std::string> names{"recipe.json"};
    for (const Asset::File* f : assetFiles(*r)) names.push_back(f->name);
    for (const std::string& name : names)
        if (const fs::path file = fs::path(folder) / fs::path(name).filename();
            !overwrite && !name.empty() && fs::exists(fs::symlink_status(file, error)))
            return fail(ErrorCode::InvalidArgument, "is there already; --overwrite replaces it", file.string());
    return save(*r, folder);
}

} // namespace recipe
