// component.h - is a component there, the right way round and in its place, and if not, what is the matter?
//
// Input   patches of one place of good parts, of the bare ground where there are any; a picture, where the reference
//         lies in it, and the light there (patch.h).
// Output  where the component was found (px and degrees beside its usual place), how much of it is as usual, the
//         largest ratio (learned.h) and a name for what is wrong. The name is of the hypothesis that explains most of
//         the pixels: the component where it should lie, elsewhere within the search, the other way round, bare ground.
//         Elsewhere is none where what usually lies round it is seen instead.
// Fails   as Learned::make.
// Accuracy  of a component about its place: 0.1 px; far off, over another ground: 1 px and 0.3° (tests/component_test.cpp).
// Source  search by normalised correlation on a stack of smaller pictures (Lewis 1995), refined by least squares with
//         Tukey's weights after Lucas and Kanade 1981.
// Cost    about 0.3 ms for 100 × 60 px as usual, 2 to 6 ms when something is wrong.
#pragma once
#include "vision/learned.h"

namespace vision
{

// Lifted is for who has heights too (lift.h): look() never says it.
enum class Named { AsUsual, Missing, Turned, Reversed, Shifted, Another, OtherColour, Different, Lifted, Unseen };

struct ComponentOptions {
    LearnOptions learn;
    double search = 15;               // px
    double searchTurn = 25;           // degrees
    double mayShift = 3, mayTurn = 3; // px, degrees: less is no fault
    double leastArea = 6;             // px²; smaller places are no difference
    double leastAlike = 0.6;          // share of the pixels that make a hypothesis
    bool marked = false;              // its ends can be told apart
};

// Beside its usual place: turned about the middle of its box, then shifted; px of the reference, radians.
struct Beside {
    geometry::Point shift;
    double turn = 0;
    bool reversed = false; // half a turn more
};

class Component
{
public:
    // `around`: what lies round it on the reference, in grey, so that a like thing beside it is not taken for it.
    static base::Result<Component> make(const std::vector<Patch>& good, const std::vector<Light>& lights,
                                        const std::vector<Patch>& bare, const std::vector<Light>& bareLights,
                                        std::vector<std::uint8_t> counts, const ComponentOptions& options,
                                        const Patch* around = nullptr);
    const Learned& learned() const { return m_learned; }
    const Learned* ground() const { return m_hasGround ? &m_ground : nullptr; }
    const ComponentOptions& options() const { return m_options; }
    // Where a place of the reference that belongs to the component lies when it lies beside its usual place.
    geometry::Point carried(geometry::Point reference, const Beside& b) const;
    geometry::Point middle() const { return m_middle; }
    // The reference itself looks different when it is turned by half: its ends can be told apart.
    bool endsDiffer() const { return m_endsDiffer; }

    struct Seen {
        Named named = Named::AsUsual;
        double ratio = 0; // largest: of the differences, of the shift and of the turn by what they may be
        Beside beside;
        double alike = 0;   // share of its pixels that are as usual where it was found
        double atPlace = 0; // and where it should lie
        double bare = 0;    // share that is as the bare ground; 0: not known
        double correlation = 0;
        Patch here; // laid as it should lie
        Light light;
    };
    Seen look(const image::Picture& picture, const Carry& carry, const Light& light) const;

    // One size of a stack: cells of `each` px.
    struct Level {
        double each = 1;
        std::vector<geometry::Point> at; // px from the middle
        std::vector<float> value;        // mean 0, length 1
    };

private:
    friend struct Looking;
    geometry::Point fromMiddle(std::size_t pixel) const;
    bool takeMiddle();
    void takeSteep();
    void takeLevels();
    Level levelOf(double each) const;
    bool otherwiseWhenTurned(const Patch& own) const;
    Learned m_learned, m_ground;
    bool m_hasGround = false, m_endsDiffer = false;
    ComponentOptions m_options;
    geometry::Point m_middle; // reference px
    double m_counted = 0;     // pixels that count
    double m_half = 1;        // px from the middle to the farthest pixel
    PatchBox m_aroundBox;
    std::vector<float> m_around; // grey levels; NaN: not seen
    struct Steep {
        geometry::Point at; // from the middle
        float level, gx, gy;
    };
    std::vector<Steep> m_steep;
    std::vector<Level> m_levels; // coarse first
};

} // namespace vision
