// Spoilt pictures, recipes, calibrations and command lines, as many as are wanted; meant for the asan preset.
// Usage: fuzz_inputs KIND COUNT [SEED]   (kind: pictures, recipes, calibrations, commands)
//        fuzz_inputs seeds DIR           whole inputs for `libfuzzer` to start from
// One seed is one input: what went wrong is run again by its number and a count of 1. An input that takes more than 8 s
// ends the program.
#include "fuzz_inputs.h"
#include "demo/small_sets.h"

#include <QGuiApplication>
#include <QTemporaryDir>
#include <csignal>
#include <cstring>
#include <sys/resource.h>
#include <unistd.h>

namespace
{
volatile std::sig_atomic_t g_kind = 0;
unsigned long long g_seed = 0;
void late(int)
{
    char text[128];
    const int n = std::snprintf(text, sizeof text, "\n%s %llu: not answered within 8 s\n",
                                fuzz_inputs::kKinds[g_kind].name, g_seed);
    (void)!::write(2, text, std::size_t(n));
    std::_Exit(1);
}
// The first byte says which reader it is for, as in libfuzzer.cpp.
int writeSeeds(const std::string& folder)
{
    QTemporaryDir dir;
    const std::string place = dir.path().toStdString();
    std::vector<std::string> inputs;
    for (const std::string& picture : fuzz_inputs::wholePictures(place)) inputs.push_back('\0' + picture);
    for (const auto write : {demo::writeReedPlates, demo::writeSmallPlates, demo::writeTuningRings}) {
        const std::string set = place + "/" + std::to_string(inputs.size());
        fuzz_inputs::fs::create_directories(set);
        if (!write(set, 1, 1, {408, 342, 0.312})) return 1;
        for (const auto& file : fuzz_inputs::fs::directory_iterator(set)) {
            const std::string bytes = base::readFile(file.path().string()).value_or("");
            if (file.path().extension() != ".dikkat") continue;
            inputs.push_back('\1' + bytes);
            if (const auto members = base::readZip(bytes)) inputs.push_back('\1' + members->at("recipe.json"));
        }
    }
    const nlohmann::json factor = recipe::calibrationToJson(geometry::Calibration::factor(0.05, "by hand"));
    inputs.push_back('\2' +
                     nlohmann::json{{"format", "dikkat-calibration"}, {"version", 1}, {"calibration", factor}}.dump());
    for (std::size_t i = 0; i < inputs.size(); ++i)
        if (!base::realFiles().write(folder + "/" + std::to_string(i), inputs[i])) return 1;
    return 0;
}
} // namespace

int main(int argc, char** argv)
{
    qputenv("QT_QPA_PLATFORM", "offscreen");
    QGuiApplication application(argc, argv);
    if (argc == 3 && !std::strcmp(argv[1], "seeds")) return writeSeeds(argv[2]);
    int kind = -1;
    for (int i = 0; i < 4; ++i)
        if (argc > 2 && !std::strcmp(argv[1], fuzz_inputs::kKinds[i].name)) kind = i;
    if (kind < 0)
        return std::fprintf(stderr,
                            "usage: fuzz_inputs pictures|recipes|calibrations|commands COUNT [SEED] | seeds DIR\n"),
               2;
    const unsigned long long count = std::strtoull(argv[2], nullptr, 10),
                             first = argc > 3 ? std::strtoull(argv[3], nullptr, 10) : 1;
    QTemporaryDir dir;
    g_kind = kind;
    std::signal(SIGALRM, late);
    unsigned long long wrong = 0;
    for (unsigned long long n = 0; n < count; ++n) {
        g_seed = first + n;
        ::alarm(8);
        if (const std::string said = fuzz_inputs::kKinds[kind].one(g_seed, dir.path().toStdString()); !said.empty())
            ++wrong, std::printf("%s %llu: %s\n", fuzz_inputs::kKinds[kind].name, g_seed, said.c_str());
        ::alarm(0);
    }
    rusage use{};
    ::getrusage(RUSAGE_SELF, &use);
    std::printf("%llu %s from %llu on: %llu wrong; %ld MB at most\n", count, fuzz_inputs::kKinds[kind].name, first,
                wrong, use.ru_maxrss / 1024);
    return wrong ? 1 : 0;
}
