// A made-up step kind that reads two pictures of a capture: as with grey_mean, one folder, one test, one word.
#include "recipe/declare.h"

namespace steps
{
using namespace recipe;

struct LightStepParams {
    double factor = 1.0;
};

static base::Result<RunOutput> run(const LightStepParams& p, const RunInput& in)
{
    const auto mean = [&](const image::GreyView& picture) {
        double sum = 0;
        long long n = 0;
        for (const auto& s : geometry::spans(in.region("area"), picture.width, picture.height))
            for (int x = s.from; x < s.to; ++x) sum += picture.levelAt(x, s.y), ++n;
        return n ? sum / double(n) : 0;
    };
    RunOutput out;
    out.values["step"] = {p.factor * (mean(in.grey()) - mean(in.grey("second")))};
    return out;
}

StepKind light_step()
{
    return Declare<LightStepParams>({"light_step", "Light step", "How much brighter one light is, made up for a test."},
                                    Question::Same, 1, "arithmetic")
        .purpose("light difference")
        .madeByArea()
        .picture()
        .picture({"second", "Second picture", "The picture whose light is taken away."})
        .region({"area", "Area", "Where it is looked at.", {geometry::Shape::Rectangle}})
        .param(&LightStepParams::factor, {"factor", "Factor", "What the step is multiplied with."}, base::Unit::None,
               Real{0.1, 10, 0.1}, true)
        .output({"step", "Step", "Difference of the mean grey levels.", base::Unit::GreyLevel, false, true, true})
        .runs(run);
}
} // namespace steps
