// tally.h - what is counted of a line: items, verdicts, totals, of one recipe. Another recipe on the line begins anew;
// what was counted under the one before is kept apart.
#pragma once
#include "station/line.h"

namespace station
{

class Tally
{
public:
    struct Counts {
        long long items = 0, accepted = 0, rejected = 0, unjudged = 0, unreadable = 0; // items; unreadable: pictures
        long long saved = 0, unsaved = 0;                                              // items
    };
    void add(const Logged& logged);
    void resetTotals() { m_totals.reset(); }
    // of what is counted; null: nothing yet
    const std::shared_ptr<const records::Release>& release() const { return m_release; }
    const Counts& counts() const { return m_counts; }
    const Counts& before() const { return m_before; } // under the recipe that was on the line before
    const inspect::Totals& totals() const { return m_totals; }

private:
    std::shared_ptr<const records::Release> m_release;
    Counts m_counts, m_before;
    inspect::Totals m_totals;
};

} // namespace station
