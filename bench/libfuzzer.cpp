// Coverage-guided: pictures, recipes and calibrations as bytes. Built with clang's libFuzzer by the `fuzz` preset.
#include "base/zip.h"
#include "image/decode.h"
#include "recipe/calibration_file.h"
#include "recipe/recipe_file.h"
#include "recipe/soundness.h"

#include <cstdlib>
#include <string>
#include <unistd.h>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size)
{
    if (size < 2) return 0;
    const std::string bytes(reinterpret_cast<const char*>(data) + 1, size - 1);
    switch (data[0] % 3) {
    case 0: {
        const auto p = image::decode(bytes, "fuzz");
        if (!p && (p.error().message.empty() || p.error().where != "fuzz")) std::abort();
        return 0;
    }
    case 1:
    default: {
        static const std::string file = "/tmp/dikkat-fuzz-" + std::to_string(::getpid()) + ".json";
        if (!base::realFiles().write(file, bytes)) return 0;
        if (data[0] % 3 == 1) {
            const auto r = recipe::load(file);
            if (r) (void)recipe::unsound(*r);
            else if (r.error().message.empty()) std::abort();
        } else if (const auto c = recipe::loadCalibration(file); !c && c.error().message.empty()) {
            std::abort();
        }
    }
    }
    return 0;
}
