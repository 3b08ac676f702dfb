#include "station/sinks.h"

#include "records/csv.h"

namespace station
{

base::Status RecordSink::open()
{
    if (m_log) return {};
    auto opened = records::RecordLog::open(QString::fromStdString(m_path));
    if (!opened) return base::passOn(opened.error());
    m_log = std::move(*opened);
    return {};
}

base::Status RecordSink::note(const records::EventRow& event)
{
    if (auto ok = open(); !ok) return ok;
    auto written = m_log->append(event);
    if (!written) m_log.reset();
    return written;
}

base::Status RecordSink::write(const std::vector<records::Entry>& entries, std::vector<std::vector<long long>>& ids)
{
    if (auto ok = open(); !ok) return ok;
    auto written = m_log->append(entries);
    if (!written) {
        m_log.reset();
        return base::passOn(written.error());
    }
    ids = std::move(*written);
    return {};
}

base::Status CsvSink::write(const std::vector<records::Entry>& entries, std::vector<std::vector<long long>>&)
{
    for (std::size_t i = 0; i < entries.size();) {
        const recipe::Recipe& recipe = entries[i].release->recipe();
        std::string rows;
        std::size_t k = i;
        for (; k < entries.size() && entries[k].release == entries[i].release; ++k)
            rows += records::csvRows(recipe, *entries[k].result, entries[k].at);
        if (auto ok = records::appendCsv(m_files, m_path(recipe), recipe, rows); !ok) return ok;
        i = k;
    }
    return {};
}

} // namespace station
