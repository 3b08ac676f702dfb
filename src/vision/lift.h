// lift.h - how far a component lies above or below where it usually does, by heights.
//
// Input   of one box: heights of good parts, laid once as the component lies (component.h: carried) and once as the part
//         does; which pixels are of the component and which of the ground round it; what may be lifted, mm.
// Output  the lift of that part of the component that lies farthest from its usual height, mm, above is positive, and
//         where. Ground that lies higher, lower or tilted as a whole lifts nothing.
// Fails   make: NoResult, too few pixels of the component are level enough, or too little ground has heights.
//         look: `why` says what is missing; then no lift is known. A part of the component that good ones show and that
//         has no heights here is missing, unless another part is lifted by more than it may.
// Accuracy  0.02 mm with points of 0.02 mm noise, a part of 40 px (tests/lift_test.cpp).
// Source  ground: plane by least median of squares and Tukey's weights through some 160 points (height.h), then least
//         squares through all within three deviations; parts of the component: a grid of
//         their medians, so that a spike is no lift.
// Cost    about 0.5 ms for 100 × 60 px.
#pragma once
#include "vision/patch.h"

#include <string>

namespace vision
{

class UsualHeights
{
public:
    enum Of : std::uint8_t { Neither, TheComponent, TheGround };
    // Of a box: what is of the component, what within `gap` px of it or of `others` (neither), and the ground.
    static std::vector<std::uint8_t> areas(const PatchBox& box, const std::vector<std::uint8_t>& component,
                                           const std::vector<std::uint8_t>& others, int gap);
    struct Sample {
        Patch component, ground;
    };
    static base::Result<UsualHeights> make(const std::vector<Sample>& good, std::vector<std::uint8_t> of,
                                           double mayLift);
    const PatchBox& box() const { return m_box; }
    int samples() const { return m_samples; }
    const std::vector<double>& own() const { return m_own; } // largest lift of each good sample, size without sign

    struct Lift {
        bool known = false;
        double most = 0;                // mm
        geometry::Point at;             // reference px
        double covered = 0;             // part of the pixels looked at that have a height
        std::string why;                // it is not known
        std::vector<float> differences; // mm, by pixel of the box; NaN: nothing to compare
    };
    Lift look(const Sample& here) const;

private:
    PatchBox m_box;
    std::vector<std::uint8_t> m_of;
    std::vector<float> m_component, m_ground; // usual heights; NaN: not looked at
    std::vector<double> m_own;
    double m_mayLift = 0;
    int m_samples = 0;
};

} // namespace vision
