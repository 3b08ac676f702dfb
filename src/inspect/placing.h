// placing.h - where things lie: the one owner of the ways between reference px, picture px and level px.
//
// A recipe's places are reference px; what is seen is picture px; what is measured is level px (geometry/calibration.h).
// A Placing belongs to one item and the recipe it was inspected with, so that no place is ever carried by another
// recipe's lens or another item's datum. Both must outlive it.
#pragma once
#include "inspect/result.h"

namespace inspect
{

// How what follows one datum lies in the picture of one item.
class Placed
{
public:
    Placed(const geometry::Calibration& calibration, const geometry::Motion& motion)
        : m_calibration(&calibration), m_motion(motion)
    {
    }
    const geometry::Motion& motion() const { return m_motion; } // level px, reference → picture
    geometry::Point toPicture(geometry::Point reference) const { return carried(m_motion, reference); }
    geometry::Region toPicture(const geometry::Region& reference) const { return carried(m_motion, reference); }
    geometry::Point toReference(geometry::Point picture) const { return carried(m_motion.inverse(), picture); }
    geometry::Region toReference(const geometry::Region& picture) const { return carried(m_motion.inverse(), picture); }

private:
    geometry::Point carried(const geometry::Motion& motion, geometry::Point p) const;
    geometry::Region carried(const geometry::Motion& motion, const geometry::Region& r) const;
    const geometry::Calibration* m_calibration;
    geometry::Motion m_motion;
};

class Placing
{
public:
    // Without an item only what follows no datum has a place.
    Placing(const recipe::Recipe& recipe, const ItemResult* item) : m_recipe(recipe), m_item(item) {}
    // What follows `datum` ("": the picture itself); nothing when the datum was not found.
    std::optional<Placed> following(const std::string& datum) const;
    // Regions of a step as they lie here; `placed` is false, and there are none, when its datum was not found.
    std::map<std::string, geometry::Region> regions(const recipe::Step& step, bool& placed) const;
    // The result of a step as a region of the wanted shape, picture px; nothing when none can be made of it.
    std::optional<geometry::Region> resultAsRegion(const StepResult& result, const recipe::RegionSpec& spec,
                                                   double grow, const geometry::Pose& frame) const;

private:
    const recipe::Recipe& m_recipe;
    const ItemResult* m_item;
};

// The datum's pose on the reference: by how it was taught, or as it was found there when the recipe was prepared.
std::optional<geometry::Pose> referencePose(const recipe::Recipe& recipe, const std::string& datum);

} // namespace inspect
