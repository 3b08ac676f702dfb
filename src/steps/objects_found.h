// objects_found.h - connected areas of pixels as objects: measured, turned away by size, border and filters, ordered,
// counted and listed. Shared by the kinds that find them in grey, colour and height; each adds values of its own.
#pragma once
#include "recipe/declare.h"
#include "vision/blobs.h"

#include <functional>

namespace steps
{

enum class BlobOrder { DatumX, DatumY, Rows, Columns, Largest, Smallest, Round };
enum class BorderOf { Region, Picture };
enum class Connectivity { Eight, Four };
struct ObjectSettings {
    double leastArea = 50;
    double mostArea = 1e9;
    bool fillHoles = true;
    bool dropBorder = true;
    BorderOf borderOf = BorderOf::Region;
    Connectivity connectivity = Connectivity::Eight;
    double split = 0;
    BlobOrder order = BlobOrder::DatumX;
    int mostObjects = 1000;
    double placeReach = 20;
};
// Without limits of grey; `grows`: how much larger the part is than on the reference.
vision::BlobOptions blobOptions(const ObjectSettings& s, double grows = 1);

// What a kind knows of an object beyond its shape.
struct OwnValues {
    std::vector<const char*> keys;                                               // of outputs
    std::function<void(const vision::BlobRuns&, int blob, double* values)> read; // in the order of the keys
};
struct FoundObject {
    int index = 0;      // in the blob list
    vision::Blob level; // area, centroid and axes in level px
    vision::BlobShape shape;
    bool described = false;
    double rank = 0;
    recipe::ObjectTable::Row row;
};
struct FoundObjects {
    recipe::RunOutput out;
    std::vector<FoundObject> kept; // in their order; those beyond the longest list too
    std::size_t listed = 0;
};
// A picture of noise holds millions of areas.
constexpr std::size_t kMostAreas = 500'000;
// Counts, lists, places, group, marks and table. Objects smaller than the least size are in no list of `blobs`.
// Errors: OutOfRange with more than `kMostAreas` areas; names the setting that helps.
base::Result<FoundObjects> objectsFound(const ObjectSettings& s, const recipe::RunInput& in, vision::BlobList blobs,
                                        const OwnValues& own);
// Every area of `blobs` with what turned it away; of more than `kMostAreas` the largest.
recipe::ObjectTable objectsTold(const ObjectSettings& s, const recipe::RunInput& in, vision::BlobList blobs,
                                const OwnValues& own);

template <class P> recipe::Declare<P>& declareObjects(recipe::Declare<P>& d)
{
    using base::Unit;
    using namespace recipe;
    return d.template inherits<ObjectSettings>()
        .param(&P::leastArea,
               {"least_area", "Least size", "Smaller areas are not objects; this filters and does not judge."},
               Unit::SquarePixel, Real{1, 1e9, 10, 1, 20000}, true)
        .param(&P::mostArea,
               {"most_area", "Greatest size", "Larger areas are not objects; this filters and does not judge."},
               Unit::SquarePixel, Real{1, 1e9, 10})
        .param(&P::fillHoles, {"fill_holes", "Fill holes", "Background enclosed by an object belongs to it."})
        .param(&P::dropBorder,
               {"drop_border", "Drop what touches the border", "Areas cut by the border are not objects."})
        .param(static_cast<BorderOf P::*>(&ObjectSettings::borderOf),
               {"border_of", "Border of",
                "Which border cuts: that of the region (and so of the picture), or only that of the picture."},
               {{"region", "The region"}, {"picture", "The picture"}})
        .param(static_cast<Connectivity P::*>(&ObjectSettings::connectivity),
               {"connectivity", "Connected by",
                "Eight: pixels that meet at a corner belong together; four: only those that share a side."},
               {{"eight", "Side or corner"}, {"four", "Side only"}})
        .param(&P::split,
               {"split", "Part touching ones",
                "Parts where the neck is narrower than the smaller object by this share; 0 never parts, smaller values "
                "part more."},
               Unit::None, Real{0, 0.95, 0.05, 0, 0.6})
        .param(static_cast<BlobOrder P::*>(&ObjectSettings::order), {"order", "Order", "How the objects are numbered."},
               {{"datum_x", "Along datum x"},
                {"datum_y", "Along datum y"},
                {"rows", "Row by row"},
                {"columns", "Column by column"},
                {"largest", "Largest first"},
                {"smallest", "Smallest first"},
                {"round", "Round the region's middle"}})
        .param(&P::mostObjects,
               {"most_objects", "Longest list",
                "At most so many objects are listed; more are only counted, and that is said."},
               Unit::None, Whole{1, 100000})
        .param(&P::placeReach,
               {"place_reach", "Reach of a place", "With named places: how far from its place an object may lie."},
               Unit::Pixel, Real{1, 10000, 1, 5, 200})
        .ordered("least_area", "most_area")
        .output({"count", "Count", "Number of objects.", Unit::None, false, true, true})
        .output({"total_area", "Size of all", "Area of all objects together.", Unit::SquarePixel})
        .output({"areas", "Size of each", "Area of each object, in order.", Unit::SquarePixel, true})
        .output(
            {"x", "Centroid x", "Place of each object's centroid in the picture, in order.", Unit::Pixel, true, false})
        .output(
            {"y", "Centroid y", "Place of each object's centroid in the picture, in order.", Unit::Pixel, true, false})
        .output({"along_x", "Along datum x", "Place of each object's centroid along the datum's x direction.",
                 Unit::Pixel, true})
        .output({"along_y", "Along datum y", "Place of each object's centroid along the datum's y direction.",
                 Unit::Pixel, true})
        .output({"box_left", "Box left", "Left border of each object's upright box in the picture.", Unit::Pixel, true,
                 false})
        .output({"box_top", "Box top", "Upper border of each object's upright box in the picture.", Unit::Pixel, true,
                 false})
        .output({"box_width", "Box width", "Width of each object's upright box.", Unit::Pixel, true})
        .output({"box_height", "Box height", "Height of each object's upright box.", Unit::Pixel, true})
        .output({"length", "Length", "Longer side of each object's smallest turned box.", Unit::Pixel, true})
        .output({"width", "Width", "Shorter side of each object's smallest turned box.", Unit::Pixel, true})
        .output({"perimeter", "Perimeter",
                 "Length of each object's outer outline; estimator as stated in vision/blobs.h.", Unit::Pixel, true})
        .output({"major", "Longer axis", "Longer axis of the ellipse with the same second moments.", Unit::Pixel, true})
        .output(
            {"minor", "Shorter axis", "Shorter axis of the ellipse with the same second moments.", Unit::Pixel, true})
        .output({"angle", "Angle", "Direction of each object's longer side against the datum's x direction, -90 to 90.",
                 Unit::Degree, true})
        .output({"circularity", "Circularity",
                 "4π area by perimeter squared of each object: 1 for a disc, less for all else.", Unit::None, true})
        .output({"elongation", "Elongation", "Longer by shorter axis of each object: 1 for a disc or a square.",
                 Unit::None, true})
        .output({"convexity", "Convexity", "Area of each object by the area of its convex hull: 1 without dents.",
                 Unit::None, true})
        .output({"holes", "Holes", "Number of holes in each object, filled or not.", Unit::None, true})
        .output({"at_border", "Touches the border", "1 for objects that touch the region's border.", Unit::None, true})
        .output({"net_area", "Net size", "Area of each object without its holes, whether they are filled or not.",
                 Unit::SquarePixel, true})
        .output({"full_area", "Size with holes", "Area of each object with its holes, whether they are filled or not.",
                 Unit::SquarePixel, true})
        .output({"equal_diameter", "Equal-area diameter", "Diameter of the disc with each object's area.", Unit::Pixel,
                 true})
        .output({"feret_most", "Largest Feret diameter",
                 "Largest distance of two parallel lines that touch each object on both sides.", Unit::Pixel, true})
        .output({"feret_least", "Smallest Feret diameter",
                 "Smallest distance of two parallel lines that touch each object on both sides.", Unit::Pixel, true})
        .output(
            {"moment_angle", "Moment angle",
             "Direction of each object's longer axis by its second moments against the datum's x direction, -90 to 90.",
             Unit::Degree, true})
        .output({"left_at_border", "Left out at the border",
                 "Number of areas that touch the border and are no objects therefore.", Unit::None})
        .output({"left_by_size", "Left out by size", "Number of areas below the least or above the greatest size.",
                 Unit::None})
        .output({"left_by_filters", "Left out by filters", "Number of objects the filters took away.", Unit::None})
        .output({"present", "Present at each place", "1 for every named place with an object, 0 where it is missing.",
                 Unit::None, true})
        .output({"missing", "Missing", "Number of named places without an object.", Unit::None})
        .output({"surplus", "Surplus", "Number of objects at no named place.", Unit::None})
        .filtersNot("present")
        .placesOnly({"x", "y", "along_x", "along_y", "box_left", "box_top"})
        .better({"circularity", "convexity"}, OutputSpec::Better::More, 0.0, 1.0)
        .better({"missing", "surplus", "left_at_border", "left_by_size", "left_by_filters"}, OutputSpec::Better::Less,
                0.0);
}

} // namespace steps
