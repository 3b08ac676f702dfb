// proof.h - how far a recipe can be trusted, in one piece: agreement, strain, planted faults, uncertainty, margins, and
// what is open.
//
// Input   a prepared recipe and its trials (or other pictures, taken as good).
// Output  all of it, open points in the order of weight, as JSON and as facts for a page. The same recipe, trials and
//         seed give the same proof.
// Fails   Cancelled; InvalidArgument: no trial can be read, or what is expected or asked has a name that is none,
//         naming those there are.
#pragma once
#include "proof/detection.h"
#include "proof/margins.h"

#include <nlohmann/json_fwd.hpp>

namespace proof
{

// How sure one check's value is, of the good trials.
struct Sureness {
    std::string step, output, name;
    int balloon = 0;
    base::Unit unit = base::Unit::None;
    double value = 0, uncertainty = 0; // of the trial in which it is largest; expanded, k = 2
    int trial = -1;
    std::optional<double> low, high;
    std::optional<double> share; // twice the uncertainty by the tolerance; none: a limit is open
};
// A check by which trials labelled good were rejected.
struct Wrong {
    std::string step, output, name;
    int balloon = 0;
    int count = 0;
};
enum class PointKind {
    Disagrees,
    GivesWay,
    Gap,
    Late,
    Unsure,
    OneSided,
    Wide,
    FalseFind,
    NeverFails,
    FewTrials,
    Fixed
};
const char* name(PointKind point); // "gives_way", …
struct OpenPoint {
    PointKind kind = PointKind::GivesWay;
    std::string key; // the same for the same point of another proof: reasons are kept by it
    std::string text, remedy;
    std::string step, output, change, fault;
    std::string reason, by; // given by a person; empty: none yet
};
struct Settings {
    bool quick = false;
    std::uint64_t seed = 1;
    int threads = 0;
    static constexpr int kFull = 4, kQuick = 2; // samples that are strained
};
struct Proof {
    std::string recipe, identity;
    int revision = 1;
    bool quick = false;
    bool whole = false;                           // to its end: what was stopped, or is still being worked out, is not
    int trials = 0, good = 0, bad = 0, agree = 0; // labelled trials that can be read
    int unread = 0;                               // those that cannot, and why the first one
    std::string unreadWhy;
    std::vector<Wrong> wrong;    // the most first
    int passing = 0;             // trials labelled bad that were accepted
    std::vector<Sample> samples; // their captures, of those that were strained
    Strain strain;
    std::vector<Detection> faults;
    std::vector<Sureness> sure;
    Margins margins;
    std::vector<OpenPoint> open;
    double seconds = 0;
    // Nothing that was asked for is missed; points with a reason do not count. Where no good part was accepted and
    // nothing strained, nothing is proved.
    bool met() const;
};
// Pictures instead of trials are taken as good. `done` is told after each part, with what is there so far.
base::Result<Proof> prove(std::shared_ptr<const inspect::Prepared> prepared, const std::vector<std::string>& pictures,
                          const Settings& settings, base::Watch* watch = nullptr,
                          const std::function<void(const Proof&)>& done = {});
nlohmann::json toJson(const Proof& proof);

// What became better and worse against another proof of the same recipe.
struct Against {
    std::vector<std::string> better, worse;
};
Against compared(const Proof& before, const Proof& now);

} // namespace proof
