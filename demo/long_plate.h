// long_plate.h - demo set 8: the plate of a chromatic instrument, 240 mm long, seen in three overlapping tiles by a
// moved camera that never stops quite where it should.
#pragma once
#include "demo/set_writer.h"

namespace demo
{

// Of one tile; the joined picture is 5400 px wide.
inline Field tileField() { return {2000, 800, 0.05}; }

enum class LongFault { None, PitchOff, SlotShort, SlotMissing, TileLost };
const char* name(LongFault fault); // "pitch off", …; "": none
struct LongTruth {
    LongFault fault = LongFault::None;
    geometry::Pose pose;                  // of the plate's middle, px of the joined picture as planned
    double pitch = 228;                   // mm, of the holes at both ends
    int slot = 0;                         // at fault, from 1
    double lost = 0;                      // mm, of the slot's length
    std::vector<geometry::Point> corners; // of the tiles, px of the joined picture
};
struct LongPicture {
    LongTruth truth;
    std::vector<image::Image> tiles; // 1.1, 1.2, 1.3; an empty one was lost
};
LongPicture longReference(const Field& field);
LongPicture longPlate(const Field& field, std::uint64_t seed, int n);
// LONG-001_1_1.png …, truth.json, reference and the recipe long-plate.dikkat into a folder. Fails with Io.
base::Status writeLongPlates(const std::string& folder, std::uint64_t seed, int count, const Field& field = {});

} // namespace demo
