// step.h - one entry of a recipe: a kind, its settings, where it looks, what it reads, what is judged.
#pragma once
#include "geometry/region.h"
#include "recipe/limits.h"

#include <any>
#include <map>
#include <string>
#include <vector>

namespace recipe
{

struct Check {
    std::string output; // key of the step's output
    std::string name;
    Limits limits;   // none: unjudged
    int balloon = 0; // given once and kept
    friend bool operator==(const Check&, const Check&) = default;
};

struct Step {
    std::string id; // never shown, never changes: names can
    std::string kind;
    std::string name;
    std::string datum;  // id of the datum it follows; empty: fixed to the picture
    std::string letter; // of a datum: A, B, …
    bool inUse = true;
    std::any params;
    std::map<std::string, geometry::Region> regions; // reference coordinates, px
    std::map<std::string, geometry::Point> points;   // reference coordinates, px
    std::map<std::string, std::string> inputs;       // input key → step id
    std::vector<Check> checks;
};

} // namespace recipe
