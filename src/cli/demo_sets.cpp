#include "cli/demo_sets.h"

#include "demo/carton.h"
#include "demo/drawn_parts.h"
#include "demo/fitted_reeds.h"
#include "demo/height_sets.h"
#include "demo/long_plate.h"
#include "demo/small_sets.h"
#include "demo/targets.h"

namespace cli
{

base::Result<DemoSet> demoSet(const std::string& name)
{
    const std::pair<const char*, DemoSet> sets[] = {
        {"reed-plate", demo::writeReedPlates},   {"small-plates", demo::writeSmallPlates},
        {"tuning-ring", demo::writeTuningRings}, {"carton-panel", demo::writeCartonPanels},
        {"targets", demo::writeTargets},         {"tilted-plate", demo::writeTiltedPlates},
        {"reed-gap", demo::writeReedGaps},       {"organ-tray", demo::writeOrganTrays},
        {"drawn-plate", demo::writeDrawnPlates}, {"fitted-reeds", demo::writeFittedReeds},
        {"label-print", demo::writeLabelPrints}, {"long-plate", demo::writeLongPlates}};
    std::string all;
    for (const auto& [known, write] : sets) {
        if (name == known) return write;
        all += (all.empty() ? "" : ", ") + std::string(known);
    }
    return base::fail(base::ErrorCode::InvalidArgument, "\"" + name + "\" is not one of: " + all);
}

} // namespace cli
