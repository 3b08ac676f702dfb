// spread.h - how far a measured number may lie off, told by what it hangs on.
//
// Input   for each number the share of it that comes from each of several independent sources, as one standard
//         deviation with its sign: the noise in the edge points of one fit, the scale of the calibration.
// Output  its standard deviation; of numbers made from others the same, with what they share counted once.
// Source  JCGM 100:2008 (GUM), 5.1 and 5.2: propagation by sensitivities, with correlation through common sources.
#pragma once
#include <cmath>
#include <cstdint>
#include <limits>
#include <utility>
#include <vector>

namespace recipe
{

struct Spread {
    std::vector<std::pair<std::uint64_t, double>> of; // by source, rising
    bool known = false;                               // else nothing is said

    static Spread source(std::uint64_t id, double sigma) { return {{{id, sigma}}, true}; }
    // Known without doubt: something that is stated.
    static Spread none() { return {{}, true}; }
    // this += factor × other
    void add(const Spread& other, double factor = 1)
    {
        known = known && other.known;
        std::vector<std::pair<std::uint64_t, double>> out;
        out.reserve(of.size() + other.of.size());
        std::size_t i = 0, j = 0;
        while (i < of.size() || j < other.of.size()) {
            if (j == other.of.size() || (i < of.size() && of[i].first < other.of[j].first)) out.push_back(of[i++]);
            else if (i == of.size() || other.of[j].first < of[i].first)
                out.emplace_back(other.of[j].first, factor * other.of[j].second), ++j;
            else out.emplace_back(of[i].first, of[i].second + factor * other.of[j].second), ++i, ++j;
        }
        of = std::move(out);
    }
    double sigma() const // NaN: not known
    {
        if (!known) return std::numeric_limits<double>::quiet_NaN();
        double sum = 0;
        for (const auto& [id, s] : of) sum += s * s;
        return std::sqrt(sum);
    }
};
using Spreads = std::vector<Spread>;

} // namespace recipe
