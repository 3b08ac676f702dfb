// running.h - what a step is given when it runs or is taught, and what it gives back.
//
// Two kinds of places. Where a step looks (regions, left-out areas) is in picture px. Whatever it finds, reads from
// other steps or answers (points, features, marks, finds, values) is in level px, see geometry/calibration.h: a step
// carries what it sees over by level() and works on as if there were neither tilt nor lens. Without a lens calibration
// both are the same.
#pragma once
#include "drawing/outline.h"
#include "geometry/calibration.h"
#include "image/capture.h"
#include "recipe/objects.h"
#include "recipe/specs.h"
#include "recipe/spread.h"
#include "recipe/step.h"

#include <any>
#include <map>

namespace recipe
{

struct NamedValue {
    base::Unit unit = base::Unit::None;
    bool list = false;
    std::vector<double> values;
};
struct RunInput {
    const image::Capture& capture;
    std::map<std::string, geometry::Region> regions; // carried over to this picture
    std::map<std::string, geometry::Point> points;
    std::map<std::string, Feature> inputs;
    geometry::Motion motion; // reference → this picture
    geometry::Pose frame;    // the datum here; of the picture itself when the step follows none
    const std::any* taught = nullptr;
    // of each input: every edge point it was found by
    std::map<std::string, std::vector<geometry::Point>> inputPoints{};
    std::vector<geometry::Region> leaveOut{};
    std::vector<Filter> filters{};
    std::vector<Place> places{};
    std::vector<ObjectKind> kinds{};
    // Lengths of the step's settings that are stated on the reference (reaches, areas by the square) grow with the
    // part.
    double grows() const { return motion.scale; }
    const geometry::Calibration* calibration = nullptr; // null: none
    const image::Capture* empty = nullptr;              // the picture without a part, for uneven light
    const drawing::Outline* drawing = nullptr;          // the recipe's; null: none, or nothing of it closes
    bool onDrawing = false;                             // the frame is where the drawing lies
    std::map<std::string, NamedValue> named{};          // "step.output" of what a formula names, in the recipe's units
    // by the kind's picture keys; see seen()
    std::map<std::string, const image::Picture*> pictures{};
    int chosen = 0; // of evidence: the element of its lists that is meant, from 1; 0: the worst

    double mmPerPixel() const { return calibration ? calibration->mmPerPixel() : 0; } // 0: not calibrated
    bool bends() const { return calibration && calibration->bends(); }
    geometry::Point level(geometry::Point picture) const { return bends() ? calibration->level(picture) : picture; }
    geometry::Point picture(geometry::Point level) const { return bends() ? calibration->picture(level) : level; }
    // One of the pictures the kind declares; without a key the first one.
    const image::Picture& seen(const std::string& key = "picture") const
    {
        const auto it = pictures.find(key);
        return it == pictures.end() ? capture.first() : *it->second;
    }
    image::GreyView grey(const std::string& key = "picture") const { return seen(key).grey(); }
    // Only of a picture that is declared to hold heights.
    image::HeightView heights(const std::string& key = "picture") const { return seen(key).heights(); }
    // A pixel's side: by the recipe's calibration, else as the height picture states it; 0: not known.
    double pixelMm() const
    {
        if (const double mm = mmPerPixel(); mm > 0) return mm;
        for (const auto& [key, p] : pictures)
            if (p->scale && p->scale->pixelMm > 0) return p->scale->pixelMm;
        return 0;
    }
    // The same picture without a part; one without pixels when there is none.
    const image::Picture& emptyPicture() const
    {
        const image::Picture* of = empty ? empty->find(seen().key) : nullptr;
        return of ? *of : image::Capture::none();
    }
    geometry::Region region(const std::string& key) const
    {
        const auto it = regions.find(key);
        return it == regions.end() ? geometry::Region::whole() : it->second;
    }
};
struct RunOutput {
    std::map<std::string, std::vector<double>> values; // one number for a value, any for a list; in the declared unit
    std::map<std::string, Feature> features;
    std::vector<Mark> marks;
    std::vector<Find> finds;                                      // datums only
    std::vector<Find> surplus{};                                  // of a datum: parts beyond the wanted ones
    std::map<std::string, std::vector<geometry::Point>> points{}; // every edge point, for tolerances of form
    // What was looked at one by one; lists the kind declares under a column's key are made of it.
    ObjectTable objects{};
    // what should be known beside the values: a list that was cut off
    std::string note{};
    // Names of the elements of a list, by its output; under "" those of every other list. A list's value may be NaN: the
    // element is there in the order and has no value, it is missing.
    std::map<std::string, std::vector<std::string>> elementNames{};
    // What is to be said of an element that fails, like its names: "turned 14.1°".
    std::map<std::string, std::vector<std::string>> elementSays{};
    // objects that were found and are in no list: lists are cut off and cannot be judged as wholes
    std::size_t unlisted = 0;
    // How far values (by output, one for each of a list) and the numbers of features (feature.h: numbersOf) may lie off,
    // in their own unit, with sources counted from 0. What is not named is not known.
    std::map<std::string, Spreads> spreads{}, featureSpreads{};
};
// A picture that is learned from beside the reference.
struct SampleInput {
    const image::Capture* capture = nullptr;
    geometry::Motion motion;       // reference → this picture, level px
    std::vector<std::string> bare; // names of the step's places whose component is not there
    bool good() const { return bare.empty(); }
};
struct TeachInput {
    const image::Capture& reference;
    std::map<std::string, geometry::Region> regions; // picture px
    std::map<std::string, geometry::Point> points;   // picture px
    std::vector<geometry::Region> leaveOut{};
    std::vector<Sample> samples{};
    const geometry::Calibration* calibration = nullptr;
    const image::Capture* empty = nullptr; // the picture without a part
    const drawing::Outline* drawing = nullptr;
    std::vector<Place> places{}; // picture px
    std::vector<SampleInput> learnedFrom{};
    geometry::Pose frame{}; // the datum on the reference
    // Of the reference, by the kind's picture keys, as the step says; none: the first.
    std::map<std::string, const image::Picture*> pictures{};
    const image::Picture& seen(const std::string& key = "picture") const
    {
        const auto it = pictures.find(key);
        return it == pictures.end() ? reference.first() : *it->second;
    }
    const image::Picture& emptyPicture() const
    {
        const image::Picture* of = empty ? empty->find(seen().key) : nullptr;
        return of ? *of : image::Capture::none();
    }
};

} // namespace recipe
