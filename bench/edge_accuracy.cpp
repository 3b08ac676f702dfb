// Spread and bias of one edge over 60 lines at contrast 150, blur 0.8 px, noise 2, as ratio to the Cramér-Rao bound of 0.0029 px.
// usage: edge_accuracy [TRIALS]
#include "demo/render.h"
#include "geometry/region.h"
#include "vision/edges.h"

#include <cstdio>
#include <cstdlib>

int main(int argc, char** argv)
{
    const int trials = argc > 1 ? std::atoi(argv[1]) : 2000;
    constexpr double bound = 0.0029;
    for (const bool level : {true, false}) {
        double sum = 0, sum2 = 0;
        int n = 0;
        for (int i = 0; i < trials; ++i) {
            demo::Random random(std::uint64_t(i) + 1);
            const double angle = level ? 0 : random.uniform(-geometry::kPi, geometry::kPi), width = 40 + random.uniform(0, 1);
            const geometry::Point c{64 + random.uniform(0, 1), 64 + random.uniform(0, 1)}, u = geometry::direction(angle);
            const auto picture =
                demo::backlit(demo::blurredCoverage({geometry::Region::rectangle(c, width, 90, angle).outlines().front()}, {}, 128, 128, 0.8, 4), 128,
                              128, {200, 50, 0, 0, 0, 2}, random);
            const auto p = vision::profile(picture.grey(), c - u * 38, c + u * 38, 60);
            const auto e = vision::edges(*p, {vision::Polarity::Any, 20, vision::EdgeOptions{}.smoothing});
            if (e.size() != 2) continue;
            for (int k = 0; k < 2; ++k) {
                const double error = (e[std::size_t(k)].position - 38) * (k ? 1 : -1) - width / 2;
                sum += error, sum2 += error * error, ++n;
            }
        }
        const double bias = sum / n, spread = std::sqrt(sum2 / n - bias * bias);
        std::printf("%s: %d edges, bias %.5f px, spread %.5f px = %.2f x the bound\n", level ? "level, every phase" : "every angle and phase", n,
                    bias, spread, spread / bound);
    }
}
