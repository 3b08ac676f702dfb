// finding.h - what datums that search the whole picture share: the search under tilt and lens, and the order of parts.
#pragma once
#include "recipe/running.h"
#include "vision/pattern.h"

#include <algorithm>

namespace steps
{

// Searches where it is told to, the picture levelled first where a lens bends it; places come back in level px.
std::vector<vision::PatternFind> findIn(const recipe::RunInput& in, const vision::PatternModel& model,
                                        const geometry::Region& where, const vision::PatternOptions& options);

// Row by row: a step in height of more than a third of the part's radius begins a new row.
template <class T, class Place> void inRows(std::vector<T>& parts, double radius, Place&& place)
{
    std::stable_sort(parts.begin(), parts.end(), [&](const T& a, const T& b) { return place(a).y < place(b).y; });
    for (std::size_t i = 0; i < parts.size();) {
        std::size_t end = i + 1;
        while (end < parts.size() && place(parts[end]).y - place(parts[end - 1]).y <= radius / 3) ++end;
        std::stable_sort(parts.begin() + std::ptrdiff_t(i), parts.begin() + std::ptrdiff_t(end),
                         [&](const T& a, const T& b) { return place(a).x < place(b).x; });
        i = end;
    }
}

} // namespace steps
