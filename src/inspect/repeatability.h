// repeatability.h - how well a value repeats: capability of the gauge, and the three-way study parts × persons ×
// repeats.
//
// Input   values of one check over n takes of one part; or all values of a complete study. All in one unit; tolerance
//         is the whole width T.
// Output  mean, spread s (n - 1), Cg = share·T / (width·s), Cgk = (half·T - |bias|) / (reach·s), expanded uncertainty
//         2·sqrt(s² + bias²/3); the table of the analysis of variance and the shares of variation.
// Fails   InvalidArgument: fewer than two values, an incomplete study, a tolerance that is not above 0.
// Accuracy  six digits of worked examples (tests/repeatability_test.cpp).
// Source  ISO 22514-7:2021 (capability of measurement processes; u of bias as |bias|/sqrt 3); crossed random effects
//         model: Montgomery, Design and Analysis of Experiments, chapter on random factors.
#pragma once
#include "inspect/inspect.h"

#include <cstdint>

namespace inspect
{

// The usual factors of practice; firms have their own.
struct GaugeFactors {
    double share = 0.2, width = 6; // Cg
    double half = 0.1, reach = 3;  // Cgk
    double coverage = 2;           // of the expanded uncertainty
};
struct Repeatability {
    int n = 0;
    double mean = 0, spread = 0, least = 0, greatest = 0;
    std::optional<double> bias, cg, cgk; // bias needs a true value; cg and cgk a tolerance (cgk the true value too)
    double uncertainty = 0;              // expanded
};
base::Result<Repeatability> repeatability(const std::vector<double>& values, std::optional<double> tolerance = {},
                                          std::optional<double> truth = {}, const GaugeFactors& factors = {});

struct StudyValue {
    std::string part, person;
    double value = 0;
};
struct VarianceRow {
    std::string source; // "part", "person", "part × person", "repeatability", "total"
    double squares = 0;
    int freedom = 0;
    double mean = 0;
    std::optional<double> f, p;
};
struct Component {
    std::string source; // "repeatability", "reproducibility", "gauge", "part", "total"
    double variance = 0, spread = 0;
    double shareOfTotal = 0;                // of the spread, percent
    std::optional<double> shareOfTolerance; // 6 × spread / T, percent
};
struct Study {
    int parts = 0, persons = 0, repeats = 0;
    std::vector<VarianceRow> table;
    bool pooled = false; // the interaction was small (p above 0.25) and went into the repeatability
    std::vector<Component> components;
    double categories = 0; // that can be told apart: 1.41 × part / gauge, rounded down
};
// Every part must have been measured by every person equally often, at least twice; two parts and two persons at least.
base::Result<Study> study(const std::vector<StudyValue>& values, std::optional<double> tolerance = {},
                          double poolAbove = 0.25);

// Three columns part, person, value with a comma (or semicolon, then the value may have a decimal comma) between them;
// a head line is skipped. Fails with Corrupt naming file and line.
base::Result<std::vector<StudyValue>> studyFromCsv(const std::string& text, const std::string& name);

// ---- takes from pictures
struct Takes {
    std::string step, output, name;
    base::Unit unit = base::Unit::None;
    std::vector<double> values;
    int left = 0; // takes without a value
    std::optional<double> tolerance;
};
// The values of every single-valued check over these results, items in order of their pictures.
std::vector<Takes> takesOf(const recipe::Recipe& recipe, const std::vector<const PictureResult*>& results);
// The study's values of one check from pictures named "part-person-take" (a dash or an underscore between the words):
// one item a picture. Fails with InvalidArgument or NoResult naming the picture.
base::Result<std::vector<StudyValue>> studyFromPictures(const std::vector<const PictureResult*>& results,
                                                        const std::string& step, const std::string& output);
// The same picture with fresh noise on it, `sigma` grey levels; the same seed gives the same picture.
image::Image noisyCopy(const image::Image& picture, double sigma, std::uint64_t seed);
// Every picture of light with noise of its own; heights stay as they are.
image::Capture noisyCapture(const image::Capture& capture, double sigma, std::uint64_t seed);

} // namespace inspect
