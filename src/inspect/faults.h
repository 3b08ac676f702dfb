// faults.h - all that is wrong with one item, worst first: single values, and the elements of lists one by one.
#pragma once
#include "inspect/inspect.h"

namespace inspect
{

struct Fault {
    std::string step, output;
    int element = -1;   // in the step's list; -1: the value as a whole
    std::string number; // "3.8": balloon and element
    std::string name;   // "turned 14.1°", else the fault the check names, else the check
    std::string detail; // the value and what it should be
    double worst = 0;   // tolerance used; not measured stands last
    bool measured = true;
    std::optional<geometry::Point> at; // picture px
    // The same in the next picture too: step, output and element.
    std::string key() const { return step + "." + output + "." + number; }
    // What a person decides of: another name or another value is another fault.
    std::string said() const { return key() + " " + name + " " + detail; }
};
std::vector<Fault> faultsOf(const ItemResult& item);

} // namespace inspect
