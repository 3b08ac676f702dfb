// proof_ask.h - what the person expects of the line and asks of the recipe; kept in it, no part of what it does.
#pragma once
#include <map>
#include <string>
#include <vector>

namespace recipe
{

struct ProofAsk {
    // How far each change goes on the line, by its key, in the change's own unit; 0: it does not happen. What is not
    // named is as the change says.
    std::map<std::string, double> changes;
    // From which size on a planted fault must be found, by its kind; mm when calibrated, else px.
    std::map<std::string, double> faults;
    double uncertaintyShare = 0.3; // of a tolerance, at most; 0: not asked
    // Why an open point is no reason against it.
    struct Reason {
        std::string point, text, by, at; // at: ISO 8601
        friend bool operator==(const Reason&, const Reason&) = default;
    };
    std::vector<Reason> reasons;
    friend bool operator==(const ProofAsk&, const ProofAsk&) = default;
};

} // namespace recipe
