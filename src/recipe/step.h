// step.h - one entry of a recipe: a kind, its settings, where it looks, what it reads, what is judged.
#pragma once
#include "geometry/region.h"
#include "recipe/limits.h"

#include <any>
#include <array>
#include <map>
#include <string>
#include <vector>

namespace recipe
{

// What one element of a list must keep to; where it belongs when elements are matched by place.
struct Element {
    std::string name;                  // empty: its number
    std::optional<Limits> own;         // in the check's unit; none: the check's limits
    std::optional<geometry::Point> at; // reference px
    friend bool operator==(const Element&, const Element&) = default;
};
enum class Match { Order, Place };

struct Check {
    std::string output; // key of the step's output
    std::string name;
    Limits limits;                     // none: unjudged
    int balloon = 0;                   // given once and kept
    std::string fault;                 // what to say when it fails; empty: the check's name and value
    std::optional<double> uncertainty; // expanded, in the limits' unit: guard band of ISO 14253-1
    Match match = Match::Order;        // of a list with elements of its own
    // by place: how far an object may lie from its place, reference px; 0: half the least distance
    double reach = 0;
    std::vector<Element> elements;
    std::optional<geometry::Point> labelAt; // where the person put its label, reference px
    bool onScreen = false;                  // its value is among those the operator sees
    // How far the lower and the upper limit may be moved at the screen, in the limits' unit; none: not at all.
    std::optional<Span> lowMay, highMay;
    friend bool operator==(const Check&, const Check&) = default;
};

// A region that is the result of another step: the circle it found, the frame round its objects.
struct RegionOf {
    std::string step;
    double grow = 0; // px
    friend bool operator==(const RegionOf&, const RegionOf&) = default;
};
// Objects whose value lies outside are not objects. Values are in px, so that a calibration changes nothing that is
// found.
struct Filter {
    std::string output;
    std::optional<double> low, high;
    friend bool operator==(const Filter&, const Filter&) = default;
};
// A colour shown by a click on the reference, or stated.
struct Sample {
    geometry::Point at;
    bool refused = false;
    std::optional<std::array<int, 3>> colour; // red, green, blue, 0 to 255; then `at` does not count
    friend bool operator==(const Sample&, const Sample&) = default;
};
// Where one object of a list belongs.
struct Place {
    std::string name;
    geometry::Point at;
    // Of a component: what it covers, about `at`; its ends can be told apart; the picture of the capture it is looked
    // at in ("": the step's).
    std::optional<geometry::Region> outline{};
    bool marked = false;
    std::string picture{};
    friend bool operator==(const Place&, const Place&) = default;
};
// What objects of a height and a size are called. A bound that is not stated does not bind.
struct ObjectKind {
    std::string name;
    std::optional<double> low, high;   // mm, over the base
    std::optional<double> least, most; // px²
    bool takes(double height, double area) const
    {
        return (!low || height >= *low) && (!high || height <= *high) && (!least || area >= *least) &&
               (!most || area <= *most);
    }
    friend bool operator==(const ObjectKind&, const ObjectKind&) = default;
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
    std::map<std::string, RegionOf> regionsOf;       // instead of a region that is drawn
    std::vector<geometry::Region> leaveOut;          // reference coordinates, px; follow the step's datum
    std::vector<Filter> filters;
    std::vector<Sample> samples;
    std::vector<Place> places;                 // reference coordinates, px
    std::vector<ObjectKind> kinds;             // the first that takes an object names it
    std::map<std::string, std::string> inputs; // input key → step id
    // which picture of the capture it reads: picture key of the kind → key of the recipe's picture; none: the first
    std::map<std::string, std::string> pictures;
    std::vector<Check> checks;
};

} // namespace recipe
