// recipe_file.h - a recipe on disk: one zip file, the same as a folder, or its recipe.json alone beside its pictures.
//
// Input   any of the three; picture paths inside are relative to the recipe's place (a zip's trials: to the folder the
//         zip lies in).
// Output  the recipe, its reference decoded. Save writes the kind the path asks for: an existing folder or ".json"
//         stays plain, else a zip.
// Fails   NotFound, Io; Corrupt: not a zip, not JSON, a member damaged; Unsupported: made by a newer version (named),
//         unknown kind; InvalidArgument, OutOfRange: unknown or repeated field, wrong type, value out of range, circle
//         of steps, more than a bound below. `where` names file, member and field.
// Source  format in docs/file-formats.md; JSON Schema made by jsonSchema().
#pragma once
#include "base/files.h"
#include "base/zip.h"
#include "recipe/recipe.h"

#include <nlohmann/json_fwd.hpp>

namespace recipe
{

// 2: pictures of a capture by name, what is carried along as assets. Files of version 1 are read and saved as 2.
constexpr int kFormatVersion = 2;
// Bounds of a recipe; more is refused by name before it is worked on.
constexpr std::uint64_t kLargestRecipeText = 32ULL << 20; // bytes of recipe.json
constexpr int kDeepestNesting = 64;
constexpr std::size_t kMostSteps = 5000, kMostTrials = 100000, kMostChecks = 1000; // checks: of one step
constexpr std::size_t kMostVariants = 100, kMostOutlets = 20;

base::Result<Recipe> load(const std::string& path);
// With `pictures` those of the trials go along when the recipe says so; without, they stay where they are.
// `watch` says how far it is when pictures are packed, and can end that: Cancelled, and what stood there stays.
base::Status save(const Recipe& recipe, const std::string& path, base::FileSystem& files = base::realFiles(),
                  bool pictures = true, base::Watch* watch = nullptr);
// What decides alone: without trials, pictures, revisions, variants and how it is shown.
Recipe bareOf(const Recipe& recipe);
// The pictures a recipe carries, those of its variants too.
std::vector<const Asset::File*> assetFiles(const Recipe& recipe);
// What the trials' pictures take, and how many of them cannot be read.
struct Carried {
    int pictures = 0, missing = 0;
    std::uint64_t bytes = 0;
};
Carried carried(const Recipe& recipe);
// The packed recipe as bytes, and back; picture paths of trials are relative to `folder`. A recipe to be kept with
// records needs no trials.
base::Result<std::string> packed(const Recipe& recipe, const std::string& folder);
base::Result<Recipe> unpacked(const std::string& bytes, const std::string& name, const std::string& folder = "");
// Names what the recipe does: the hash of steps, calibration, judging and of what its pictures show. Trials and their
// labels, the revision, the pictures' file names and paths are no part of it. 64 hexadecimal digits.
std::string identity(const Recipe& recipe);
base::Status pack(const std::string& folder, const std::string& recipePath);
// Fails with InvalidArgument when a file is there already, unless `overwrite`.
base::Status unpack(const std::string& recipePath, const std::string& folder, bool overwrite = false);

// Picture paths are written relative to `folder` when they lie below it, else as they are.
nlohmann::json toJson(const Recipe& recipe, const std::string& folder);
// What load() is made of. `member` gives the bytes of a picture the text names.
base::Result<Recipe> fromText(const std::string& text, const std::string& folder, const std::string& where,
                              const std::function<base::Result<std::string>(const std::string&)>& member);
base::Result<nlohmann::json> parseJson(const std::string& text); // repeated keys and deep nesting are refused
nlohmann::json stepToJson(const Step& step);
base::Result<Step> stepFromJson(const nlohmann::json& json, const std::string& where); // `where` names it in errors
nlohmann::json placeToJson(const Place& place);
base::Result<Place> placeFromJson(const nlohmann::json& json, const std::string& where);
nlohmann::json namingToJson(const image::Naming& naming);
nlohmann::json regionToJson(const geometry::Region& region);
base::Result<geometry::Region> regionFromJson(const nlohmann::json& json);
nlohmann::json jsonSchema();

} // namespace recipe
