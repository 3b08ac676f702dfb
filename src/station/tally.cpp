#include "station/tally.h"

namespace station
{

void Tally::add(const Logged& logged)
{
    const auto& release = logged.line().release;
    if (!m_release || m_release->identity != release->identity) {
        m_before = m_counts;
        m_counts = {};
        m_totals.reset();
    }
    m_release = release;
    const inspect::PictureResult& r = logged.result();
    m_counts.unreadable += r.error.has_value();
    for (const inspect::ItemResult& i : r.items) {
        ++m_counts.items;
        m_counts.accepted += i.accepted();
        m_counts.rejected += i.rejected();
        m_counts.unjudged += i.outcome == inspect::Outcome::Unjudged;
        ++(logged.saved ? m_counts.saved : m_counts.unsaved);
    }
    m_totals.add(release->recipe(), r);
}

} // namespace station
