// statistics.h - what a row of measured values says of the process that made them.
//
// Method  individuals and moving range of two (ISO 7870-2): the process's own spread is the mean moving range over
//         d2 = 1.128; control limits lie three of it from the mean, those of the range at 3.267 times its mean.
//         Capability by that spread (Cp, Cpk) and performance by the overall standard deviation (Pp, Ppk), as in
//         ISO 22514-2 for values that are normally distributed.
#pragma once
#include <optional>
#include <string>
#include <vector>

namespace records
{

struct Statistics {
    std::size_t count = 0;
    double mean = 0, least = 0, most = 0;
    double deviation = 0;                      // overall, n - 1; 0 below two values
    double movingRange = 0;                    // mean of the ranges of neighbours; 0 below two values
    double within = 0;                         // spread of the process by it
    double upperControl = 0, lowerControl = 0; // of single values
    double upperRange = 0;                     // of the moving range
    std::vector<std::size_t> beyond;           // values outside the control limits, from 0
    std::optional<double> cp, cpk, pp, ppk;    // cp and pp need both limits; none without spread
    std::size_t outOfTolerance = 0;            // outside the limits
};
// Values in the order they were made. Not finite ones must not be among them.
Statistics statisticsOf(const std::vector<double>& values, std::optional<double> low, std::optional<double> high);

} // namespace records
