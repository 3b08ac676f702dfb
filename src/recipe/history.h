// history.h - what a recipe was each time it was saved: who, when, why, what changed, and the whole of it.
//
// Promise  a revision can be read again as a recipe, with its pictures, whatever became of the recipe since.
//          What it says of changes was worked out when it was made and is kept as it was said.
// Fails    recipeOf(): as a recipe file (recipe_file.h), naming the revision.
#pragma once
#include "recipe/recipe.h"

namespace recipe
{

struct Revision {
    int number = 1;
    std::string at, by, why;          // ISO 8601, UTC; who saved it; what for, may be empty
    std::vector<std::string> changes; // sentences, against the one before; none for the first
    // The recipe as in its file, trials by their paths; pictures are named by the hash of their bytes.
    std::string text;
    std::map<std::string, std::shared_ptr<const std::string>> files; // what `text` names
};
constexpr std::size_t kMostRevisions = 1000; // of these the newest are kept

// Appends what the recipe is now, with the words of what changed since the last one. False: nothing changed.
bool keepRevision(Recipe& recipe, const std::string& by, const std::string& why, const std::string& at);
base::Result<Recipe> recipeOf(const Revision& revision);
const Revision* revisionNumber(const Recipe& recipe, int number); // the newest of that number; null: there is none

// For the file: an index, each revision's text, and the pictures that are not the recipe's own.
std::map<std::string, std::shared_ptr<const std::string>> historyMembers(const Recipe& recipe);
// `member` gives the bytes of a member by its name. NotFound of the index: there is no history.
base::Status readHistory(Recipe& recipe, const std::function<base::Result<std::string>(const std::string&)>& member);

} // namespace recipe
