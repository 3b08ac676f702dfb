// offers.h - making a step by a gesture on the part.
#pragma once
#include "recipe/running.h"

namespace recipe
{

struct Gesture {
    enum class Type { Stroke, Area, Click } type = Type::Stroke;
    geometry::Point from, to;
    double width = 0; // px, averaging width asked for by the wheel; 0: choose
    bool reversed = false;
    std::vector<geometry::Point> path{};              // of a stroke: the way the hand went, both ends included
    std::string fromFeature, toFeature;               // "step" ids of found geometry under the ends, when there is any
    bool square = true;                               // may be turned square to what it meets
    enum class Axis { Free, X, Y } axis = Axis::Free; // along the datum, when that was asked for
};
struct OfferInput {
    const image::Capture& capture; // the picture in view; everything here is in its coordinates
    double noise = 1;              // grey levels
    bool hasDatum = false;
    double datumAngle = 0;
    const std::map<std::string, Feature>& features; // by step id
    const geometry::Calibration* calibration = nullptr;
    geometry::Pose datum{};                    // here, level px; of the picture itself when there is none
    const image::Picture* shown = nullptr;     // the one in view; null: the capture's first
    const drawing::Outline* drawing = nullptr; // the recipe's
    bool onDrawing = false;                    // the datum is where the drawing lies

    const image::Picture& seen() const { return shown ? *shown : capture.first(); }
    image::GreyView grey() const { return seen().grey(); }
    // What a step would be given there that looks at the picture in view.
    RunInput looking(std::map<std::string, geometry::Region> regions = {}) const
    {
        RunInput in{capture, std::move(regions), {}, {}, {}, {}, nullptr};
        in.pictures["picture"] = &seen();
        return in;
    }
};
struct Offer {
    Step step;                       // regions and points in the coordinates of the picture in view
    std::vector<Step> before{};      // made with it; its inputs name them "+0", "+1" …
    int rank = 0;                    // smaller first
    std::string words;               // "edge pair", "distance of two fitted lines"
    std::vector<std::string> chosen; // parameter keys that were chosen for this place
    std::vector<std::string> judged; // outputs that get a check; the kind's main output always does
    std::string wants;               // when something is missing: "1 of 2 found, go on"
    std::string note{};              // what should be known beside its value: "the edges are 2.1° apart"
};

} // namespace recipe
