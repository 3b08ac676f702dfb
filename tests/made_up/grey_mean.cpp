// A made-up step kind, as somebody would add it: one folder with this much in it, one test, one word in the list.
// It stands in for src/steps/grey_mean/grey_mean.cpp; nothing outside it knows it.
#include "recipe/declare.h"

namespace steps
{
using namespace recipe;

struct GreyMeanParams {
    double gain = 1.0;
    int rounds = 1;
    bool inverted = false;
};

static base::Result<RunOutput> run(const GreyMeanParams& p, const RunInput& in)
{
    const auto picture = in.grey();
    double sum = 0;
    long long n = 0;
    for (const auto& s : geometry::spans(in.region("area"), picture.width, picture.height))
        for (int x = s.from; x < s.to; ++x) sum += picture.levelAt(x, s.y), ++n;
    if (n == 0) return base::fail(base::ErrorCode::NoResult, "the region lies outside the picture");
    const double mean = sum / double(n) * p.gain;
    RunOutput out;
    out.values["mean"] = {p.inverted ? 255 - mean : mean};
    return out;
}

StepKind grey_mean()
{
    return Declare<GreyMeanParams>({"grey_mean", "Grey mean", "Mean grey level of an area, made up for a test."},
                                   Question::HowMany, 1, "arithmetic")
        .purpose("brightness exposure mean")
        .madeByArea()
        .picture()
        .region({"area", "Area", "Where the mean is taken.", {geometry::Shape::Rectangle, geometry::Shape::Circle}})
        .param(&GreyMeanParams::gain, {"gain", "Gain", "Factor the mean is multiplied with."}, base::Unit::None,
               Real{0.1, 10, 0.1}, true)
        .param(&GreyMeanParams::rounds, {"rounds", "Rounds", "A whole number that does nothing here."},
               base::Unit::None, Whole{1, 9})
        .param(&GreyMeanParams::inverted, {"inverted", "Inverted", "Counts from white instead of from black."})
        .output({"mean", "Mean", "Mean grey level.", base::Unit::GreyLevel, false, true, true})
        .runs(run);
}
} // namespace steps
