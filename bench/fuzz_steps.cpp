// Random settings of every kind on random, blank, 1×1 and 50-megapixel pictures: always a result or a reason. Meant to
// be built with the address and undefined-behaviour sanitizers (preset asan). Usage: fuzz_steps [sets of each kind
// [first seed [kind]]]
#include "../tests/fuzz.h"
#include "base/parallel.h"

#include <cstdio>

int main(int argc, char** argv)
{
    const int sets = argc > 1 ? std::atoi(argv[1]) : 10000;
    const std::uint64_t seed = argc > 2 ? std::strtoull(argv[2], nullptr, 10) : 1;
    int broken = 0;
    for (const recipe::StepKind& kind : recipe::allStepKinds()) {
        if (argc > 3 && kind.key != argv[3]) continue;
        std::atomic<int> wrong{0};
        base::parallelFor(sets, 0, [&](int n) {
            // One in 2000 on 50 megapixels.
            const std::string what = fuzz::once(kind, seed + std::uint64_t(n), n % 2000 == 1999);
            if (!what.empty())
                ++wrong, std::printf("%s, seed %llu: %s\n", kind.key.c_str(),
                                     static_cast<unsigned long long>(seed + std::uint64_t(n)), what.c_str());
        });
        std::printf("%-18s %d sets from seed %llu, %d broken\n", kind.key.c_str(), sets,
                    static_cast<unsigned long long>(seed), wrong.load());
        std::fflush(stdout);
        broken += wrong;
    }
    return broken ? 1 : 0;
}
