// item_pages.h - which pages an item's report has.
#pragma once

namespace report
{

// Pages an item's report has beside its values, where its recipe has a drawing.
struct ItemPages {
    bool deviation = true; // the part against its drawing, and the places beyond the zone
    bool drawing = true;   // the drawing with its sizes numbered
    bool operator==(const ItemPages&) const = default;
};

} // namespace report
