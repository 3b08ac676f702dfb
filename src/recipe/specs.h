// specs.h - what a step kind declares of itself: where it looks, what it reads, what it says.
#pragma once
#include "base/unit.h"
#include "geometry/region.h"
#include "recipe/feature.h"

#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace recipe
{

struct Words {
    std::string key, label, help;
};

// The seven questions of the strip.
enum class Question { Where, What, HowMany, HowBig, HowTrue, Same, SumUp };

struct RegionSpec {
    std::string key, label, help;
    std::vector<geometry::Shape> shapes; // the first is the usual one
    bool needed = true;                  // when not needed and missing: the whole picture
    bool follows = true;                 // carried along by the datum
    bool teaching = false;               // belongs to the reference only; drawn there and nowhere else
    bool searchesAcross = false;         // a window laid along an edge: the arrow stands square to it
    bool searchesRound = false;          // a ring or arc is searched along its way, not across it
};
struct PointSpec {
    std::string key, label, help; // optional place on the reference; without it the middle of the first region
};
// A picture of the capture it reads. The first one is the capture's first unless the step says otherwise; further ones
// must be said.
struct PictureSpec {
    std::string key = "picture", label = "Picture", help = "Which picture of the capture is looked at.";
    bool height = false;               // reads heights; else light, grey or colour
    bool needed = true;                // else it is read only where the recipe says which
    std::vector<std::string> params{}; // settings that are read only with it
};
struct InputSpec {
    std::string key, label, help;
    std::vector<FeatureType> accepts;
    bool needed = true;
};
struct OutputSpec {
    std::string key, label, help;
    base::Unit unit = base::Unit::None;
    bool list = false;
    bool calibrates = true;  // px becomes mm when the recipe is calibrated; places in the picture do not
    bool main = false;       // a new step gets a check on it
    std::string unitParam{}; // key of the choice that states the unit instead
    // Which way a part is better, for limits that are proposed: where better has no end, one limit is enough.
    enum class Better { Within, More, Less };
    Better better = Better::Within;
    std::optional<double> least{}, most{};         // what the value can be at all: 0 for a size, 1 for a score
    bool filters = true;                           // of a list: objects have this value, so it can filter them
    std::optional<double> usualLow{}, usualHigh{}; // limits a new check on it begins with
    bool place = false;                            // says where something lies, not what it is
    // How a drawing states it: of the step's round feature, between the legs of its angle mark, in a tolerance frame
    // without or with a datum.
    enum class Drawn { Plain, Diameter, Radius, Angle, Tolerance, ToleranceTo };
    Drawn drawn = Drawn::Plain;
};
// Two settings of which one must not be above the other; `when` a choice has this value, else always.
struct Ordered {
    std::string low, high, when, is;
};
// What some of a kind's settings, points and values mean to the engine and the window, which know no key of any kind.
// Each names something that is declared; empty: there is none.
struct Roles {
    std::string origin;    // of a datum: the point on the reference that is its origin
    std::string direction; // of a datum: the setting that turns its x direction, degrees
    std::string expected;  // of a datum: the setting that says how many parts are wanted
    // Of a datum: the values that say where one find lies, how well it fits and how large it is.
    std::string findX, findY, findAngle, findScore, findScale;
    // Values that are x and y of a place in the picture, px: nothing calibrates them, a lens bends them.
    std::vector<std::pair<std::string, std::string>> places;
    std::string reversed;      // the flag that turns every search round
    std::string reversedRound; // the flag that turns a search along a ring or arc round; a window's ends are swapped
    std::string roundValue;    // what is judged when the region becomes a ring or arc
    std::string colourSetting, colourValue; // the choice, and what it is when colours are shown by samples
    std::string colourRegion;               // the area on the reference whose colours are samples too
    std::string colourTolerance;            // the setting that says how far from a sample still counts
};

} // namespace recipe
