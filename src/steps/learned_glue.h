// learned_glue.h - what the kinds share that compare with good samples: how much may differ, and the patches they
// compare.
#pragma once
#include "recipe/declare.h"
#include "vision/learned.h"

namespace steps
{

enum class CompareBy { Grey, Colour };
struct LearnSettings {
    CompareBy by = CompareBy::Grey;
    double spreads = 6;
    double leastGrey = 10;
    double leastColour = 5;
    double edge = 0.4;
    vision::LightFollowed light = vision::LightFollowed::Even;
};
vision::LearnOptions learnOptions(const LearnSettings& s);

// Reference px → picture px.
vision::Carry carryTo(const recipe::RunInput& in, geometry::Point shift = {});
vision::Carry carryTo(const recipe::TeachInput& in, const recipe::SampleInput& sample, geometry::Point shift = {});
// The picture of a sample that the step reads; null: it has none of that name, or of another sort.
const image::Picture* pictureOf(const recipe::TeachInput& in, const recipe::SampleInput& sample,
                                const std::string& key);
// The box of whole px round a region of the reference, `more` px wider, cut to the picture. Nothing: it lies outside.
std::optional<vision::PatchBox> boxOf(const geometry::Region& region, double more, const image::Picture& reference);
// Which of its pixels lie in the region and in none of the others.
std::vector<std::uint8_t> countsIn(const geometry::Region& region, const std::vector<geometry::Region>& leftOut,
                                   const vision::PatchBox& box, const image::Picture& reference);
// What a sample alone leaves unknown; empty: nothing.
std::string fewSamples(int samples);
// "brighter", "darker", or neither.
std::string sideOf(double brighter);
// Half grey, half what differs: red-free, so that it is no verdict.
// Over all that `shown` covers; beyond what was compared it is pale.
image::Image differencePicture(const vision::Learned& learned, const vision::Patch& here, const vision::Light& light,
                               const vision::Patch& shown);
// Grey or colour, to be shown beside another one.
image::Image shownPatch(const vision::Patch& patch);

template <class P> recipe::Declare<P>& declareLearned(recipe::Declare<P>& d)
{
    using base::Unit;
    using namespace recipe;
    return d.template inherits<LearnSettings>()
        .picture()
        .readsSamples()
        .param(
            static_cast<CompareBy P::*>(&LearnSettings::by),
            {"by", "Compared by", "What is compared with the good ones: grey levels, or colours as the eye sees them."},
            {{"grey", "Grey level"}, {"colour", "Colour"}}, true)
        .param(
            &P::spreads,
            {"spreads", "Allowed spreads",
             "How many times the good ones' own spread a pixel may differ from the usual value; more lets more pass."},
            Unit::None, Real{1, 50, 0.5, 3, 15}, true)
        .param(&P::leastGrey,
               {"least_grey", "Allowed at least",
                "By grey level: a smaller difference is none, however alike the good ones are."},
               Unit::GreyLevel, Real{1, 200, 1, 3, 60}, true)
        .param(&P::leastColour,
               {"least_colour", "Allowed colour difference",
                "By colour: a smaller CIELAB difference is none, however alike the good ones are; about 2 is just "
                "visible."},
               Unit::None, Real{0.5, 100, 0.5, 2, 30}, true)
        .param(&P::edge,
               {"edge", "Edges may be off by",
                "At edges a pixel may differ as much as an edge does that lies or is blurred by so much otherwise."},
               Unit::Pixel, Real{0, 5, 0.05, 0, 2}, true)
        .param(static_cast<vision::LightFollowed P::*>(&LearnSettings::light),
               {"light", "Light",
                "A change of the light as a whole, or one that is stronger on one side, can be taken out before "
                "comparing."},
               {{"as_it_is", "As it is"}, {"even", "Followed"}, {"uneven", "Followed, also uneven"}})
        .readWhen({"least_grey"}, "by", {"grey"})
        .readWhen({"least_colour"}, "by", {"colour"});
}

} // namespace steps
