#include "geometry/matching.h"

#include <algorithm>

namespace geometry
{

std::vector<int> nearestPairs(const std::vector<Point>& places, const std::vector<Point>& found, double reach)
{
    struct Pair {
        double gap;
        std::size_t place, value;
    };
    std::vector<Pair> pairs;
    for (std::size_t p = 0; p < places.size(); ++p)
        for (std::size_t i = 0; i < found.size(); ++i)
            if (const double d = distance(places[p], found[i]); d <= reach) pairs.push_back({d, p, i});
    std::stable_sort(pairs.begin(), pairs.end(), [](const Pair& a, const Pair& b) { return a.gap < b.gap; });
    std::vector<int> out(places.size(), -1);
    std::vector<char> used(found.size(), 0);
    for (const Pair& q : pairs)
        if (out[q.place] < 0 && !used[q.value]) out[q.place] = int(q.value), used[q.value] = 1;
    return out;
}

} // namespace geometry
