// line.h - what passes along the line, as values: a shot, what was taken, inspected and logged, each with the line it
// was taken under.
//
// A Line is whole and never changes: what is put on the line next is another one, valid from the next shot on. Whatever
// is shown or logged of an item is read from the line the item carries, never from what is being edited.
#pragma once
#include "records/entry.h"
#include "records/picture_store.h"

#include <chrono>
#include <cstdint>

namespace station
{

struct Line {
    std::shared_ptr<const records::Release> release;
    std::string batch, station;
    records::Keep keep = records::Keep::None;
    int keepEvery = 100;        // of EveryNth
    std::string pictures{};     // folder of the picture store; needed unless `keep` is None
    long long mostPictures = 0; // bytes the folder may hold, the oldest go first; 0: no bound
};
using LinePtr = std::shared_ptr<const Line>;

// What a source gives on a trigger: a picture ready in memory, the bytes of its files still to be decoded, or why there
// is none.
struct Shot {
    std::string id;
    std::shared_ptr<const image::Capture> ready;
    std::vector<image::FileBytes> files;
    std::optional<base::Error> error;
    std::optional<std::chrono::steady_clock::time_point> triggered; // none: when the line asked for it
    // Nothing came in time; the source is asked again as long as the line wants something.
    bool nothing() const { return !ready && files.empty() && !error; }
};
struct Taken {
    std::uint64_t number = 0; // from 1 in the order of the triggers
    LinePtr line;
    Shot shot;
    std::string at; // ISO 8601, UTC
    std::chrono::steady_clock::time_point triggered;
};
struct Inspected {
    Taken taken;
    std::shared_ptr<const image::Capture> capture; // null: it could not be read
    std::shared_ptr<const inspect::PictureResult> result;
    // SHA-256 of the pictures' files, in their order; none when they never were files, or nobody logs
    std::vector<std::string> hashes;
};
struct Logged {
    Inspected inspected;
    std::vector<long long> records; // ids in the record log; empty when there is none, or it did not take the item
    bool saved = false;             // every sink has it on disk
    bool unsaved = false;           // there are sinks, and one of them has not
    double milliseconds = 0;        // from its trigger until everybody is told
    const Line& line() const { return *inspected.taken.line; }
    const inspect::PictureResult& result() const { return *inspected.result; }
    void letGoOfPicture()
    {
        inspected.capture.reset();
        inspected.taken.shot.ready.reset();
        inspected.taken.shot.files.clear();
    }
};

} // namespace station
