#include "steps/finding.h"

#include "vision/level_picture.h"

namespace steps
{

std::vector<vision::PatternFind> findIn(const recipe::RunInput& in, const vision::PatternModel& model,
                                        const geometry::Region& where, const vision::PatternOptions& options)
{
    if (!in.bends()) return vision::findPattern(in.grey(), model, where, options);
    const auto level = vision::levelPicture(in.grey(), *in.calibration);
    auto finds =
        vision::findPattern(level.picture.grey(), model,
                            where.mapped([&](geometry::Point q) { return in.level(q) - level.origin; }), options);
    for (auto& f : finds) f.pose.origin = f.pose.origin + level.origin;
    return finds;
}

} // namespace steps
