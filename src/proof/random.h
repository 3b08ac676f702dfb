// random.h - numbers that depend on the seed alone, whatever library does the drawing.
#pragma once
#include <array>
#include <cmath>
#include <cstdint>

namespace proof
{

// Source: splitmix64, Steele, Lea and Flood 2014.
class Random
{
public:
    explicit Random(std::uint64_t seed) : m_state(seed * 0x9E3779B97F4A7C15ULL + 0x2545F4914F6CDD1DULL) {}
    std::uint64_t bits()
    {
        std::uint64_t z = (m_state += 0x9E3779B97F4A7C15ULL);
        z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9ULL;
        z = (z ^ (z >> 27)) * 0x94D049BB133111EBULL;
        return z ^ (z >> 31);
    }
    double uniform(double low, double high) { return low + (high - low) * double(bits() >> 11) * 0x1.0p-53; }
    int below(int n) { return n > 0 ? int(bits() % std::uint64_t(n)) : 0; }
    // Sum of four uniforms: near enough to normal.
    double normal()
    {
        const std::uint64_t b = bits();
        const double sum =
            double(b & 0xFFFF) + double((b >> 16) & 0xFFFF) + double((b >> 32) & 0xFFFF) + double(b >> 48);
        return (sum - 2 * 65535.0) / (65536.0 * 0.57735026918962573);
    }

private:
    std::uint64_t m_state;
};

} // namespace proof
