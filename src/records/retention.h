// retention.h - old records leave a log, by age or by size: what goes is said before, and nothing else goes.
//
// Always the oldest, whole items with their values; recipes, events and what persons said of items that stay are kept.
// What a server does not have yet stays, when the log is sent on to one. Pictures have a bound of their own
// (picture_store.h).
//
// Promise  remove() ok or not => every item is there whole or not at all; others may log meanwhile.
// Fails    Io, Cancelled; Unsupported: a server's records (drop a month's tables there).
#pragma once
#include "base/zip.h"
#include "records/record_log.h"

namespace records
{

struct Retention {
    int days = 0;            // older ones go; 0: whatever their age
    long long mostBytes = 0; // of what the log holds; 0: whatever its size
};
struct Leaving {
    long long items = 0, values = 0, of = 0; // of so many items
    long long upTo = 0;                      // the last one that goes
    QString first, last;                     // when they were taken
    long long bytes = 0;                     // of the log, about what they take
    long long notSent = 0;                   // would go, but a server does not have them yet
};
base::Result<Leaving> leaving(const RecordLog& log, const Retention& retention);
base::Status remove(RecordLog& log, const Leaving& leaving, base::Watch* watch = nullptr);
// What its rows take, bytes; the file itself does not shrink, its room is used again.
base::Result<long long> usedBytes(const RecordLog& log);

} // namespace records
