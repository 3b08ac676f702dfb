// sinks.h - where what was inspected is put for good. All are used on the line's logging thread only.
//
// Promise  write() ok => all entries are on disk; !ok => none of them is in this sink, which is as it was.
#pragma once
#include "records/record_log.h"
#include "station/line.h"

namespace station
{

class Sink
{
public:
    virtual ~Sink() = default;
    virtual std::string name() const = 0; // for people: "records", "table"
    // `ids`: of the record log, one list an entry; other sinks leave them alone.
    virtual base::Status write(const std::vector<records::Entry>& entries,
                               std::vector<std::vector<long long>>& ids) = 0;
    // What somebody did, and what happened to the line; sinks that keep items only leave it alone.
    virtual base::Status note(const records::EventRow&) { return {}; }
};

// The record log, opened when it is first needed and again after a fault.
class RecordSink : public Sink
{
public:
    explicit RecordSink(std::string path) : m_path(std::move(path)) {}
    std::string name() const override { return "records"; }
    base::Status write(const std::vector<records::Entry>& entries, std::vector<std::vector<long long>>& ids) override;
    base::Status note(const records::EventRow& event) override;

private:
    base::Status open();
    std::string m_path;
    std::unique_ptr<records::RecordLog> m_log;
};

class CsvSink : public Sink
{
public:
    // `path` for a release, so that every set of columns may have a file of its own.
    using PathOf = std::function<std::string(const recipe::Recipe&)>;
    CsvSink(base::FileSystem& files, PathOf path) : m_files(files), m_path(std::move(path)) {}
    std::string name() const override { return "table"; }
    base::Status write(const std::vector<records::Entry>& entries, std::vector<std::vector<long long>>& ids) override;

private:
    base::FileSystem& m_files;
    PathOf m_path;
};

} // namespace station
