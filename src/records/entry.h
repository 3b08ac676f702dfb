// entry.h - one inspected picture with all that is needed to know later what was done: what sinks are given.
//
// A release is a recipe put on the line by somebody at some time; every entry names the one it was inspected under.
#pragma once
#include "inspect/inspect.h"

namespace records
{

struct Release {
    std::shared_ptr<const inspect::Prepared> prepared;
    std::string identity; // recipe::identity
    std::string packed;   // the recipe with its pictures, without trials: kept with the records once
    std::string by, at;   // who and when, ISO 8601, UTC
    int revision = 1;
    const recipe::Recipe& recipe() const { return prepared->recipe(); }
};
// Fails as recipe::packed does: a name that cannot be written.
base::Result<std::shared_ptr<const Release>> release(std::shared_ptr<const inspect::Prepared> prepared,
                                                     const std::string& by);

struct EntryPicture {
    std::string key;     // as the recipe names it
    std::string hash;    // SHA-256 of its file; "" when it never was one
    std::string kept;    // where it was put aside; "" when it was not:
    std::string notKept; // why not
};
struct Entry {
    std::shared_ptr<const Release> release;
    std::shared_ptr<const inspect::PictureResult> result;
    std::string at; // taken, ISO 8601, UTC
    std::string batch, station;
    std::vector<EntryPicture> pictures; // of the capture, at least one
};

std::string nowUtc(); // ISO 8601 with milliseconds

} // namespace records
