// height_sets.h - demo set 6: gaps of ten reeds over their slots, as grey and height in one capture, and a tray of
// twelve organs from above as height alone; truth beside them.
//
// Heights as a laser line sees them: noise, some single flyers, tilt, and no point where the ground is too deep, where
// the light is not thrown back and in the shadow of what stands up.
#pragma once
#include "demo/reed_plate.h"

namespace demo
{

// Pictures, truth.json, reference and the recipe (reed-gap.dikkat, organ-tray.dikkat) into a folder. Only the field's
// scale and width count: the height fits what is shown. Fails with Io.
base::Status writeReedGaps(const std::string& folder, std::uint64_t seed, int count, const Field& field = {});
base::Status writeOrganTrays(const std::string& folder, std::uint64_t seed, int count, const Field& field = {});

} // namespace demo
