// column_reader.h - a record log's columns, kept up with the log.
//
// A full block is read from the log's rows once and then kept in the log as packed bytes (table `digest`, schema in
// docs/file-formats.md): a million items are there in a second instead of half a minute. What is kept is only ever a copy
// of the rows: it is made again when it is missing or of another version, and not made where the log cannot be written.
//
// Fails    as RecordLog::open; Cancelled.
// Threads  an object belongs to the thread that opened it; the Columns it gives belong to everybody.
#pragma once
#include "base/zip.h"
#include "records/columns.h"
#include "records/record_log.h"

namespace records
{

class RowSource;

class ColumnReader
{
public:
    static base::Result<std::unique_ptr<ColumnReader>> open(const QString& path);
    ~ColumnReader();
    // What the log holds now. The same object when nothing came.
    base::Result<std::shared_ptr<const Columns>> update(base::Watch* watch = nullptr);
    bool keeps() const { return m_keeps; } // blocks it read; false: the log cannot be written

private:
    ColumnReader() = default;
    base::Result<std::shared_ptr<const Block>> readRows(long long first);
    base::Status readOverruled(Columns& into);
    tl::unexpected<base::Error> trouble() const;

    std::unique_ptr<RecordLog> m_log;
    std::shared_ptr<const Columns> m_columns = std::make_shared<Columns>();
    long long m_least = 0, m_overrules = -1;
    bool m_lastWhole = true, m_keeps = true;
    std::unique_ptr<RowSource> m_source; // the log's rows, of a file or of a server
};

} // namespace records
