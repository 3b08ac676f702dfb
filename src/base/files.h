// files.h - the file system as a seam: the product uses RealFiles, tests break it on purpose.
//
// Promise  writeAtomic() ok  => the new bytes are on disk under `path`, even after a power cut.
//          writeAtomic() !ok => whatever stood under `path` before is still there, whole.
//          append() ok  => the bytes stand whole at the end, on disk, and nobody else's are between them. !ok => the
//                       file is as it was.
//          A link stays a link, its target is written; mode and owner of what was there stay. Nothing but regular files
//          is read or replaced; a character device is written as it is.
#pragma once
#include "base/result.h"

#include <cstdint>
#include <functional>
#include <string>

namespace base
{

constexpr std::uint64_t kLargestFile = 2ULL << 30; // bytes; more are never read at once

class FileSystem
{
public:
    virtual ~FileSystem() = default;
    // NotFound, Io; OutOfRange: more than kLargestFile
    virtual Result<std::string> read(const std::string& path) = 0;
    virtual Status write(const std::string& path, const std::string& bytes) = 0; // creates or replaces; Io
    virtual Status sync(const std::string& path) = 0;                            // file, then its folder; Io
    virtual Status rename(const std::string& from, const std::string& to) = 0;   // replaces; Io
    virtual Status remove(const std::string& path) = 0;                          // Io
    // Adds whole lines at the end of a table that several programs may grow at once (they wait for each other). A new
    // or empty file begins with `head`; another beginning is InvalidArgument. A last line without its end is ended when
    // `whole` says that it is one, else a crash cut it off and it is taken away. Io.
    using Whole = std::function<bool(const std::string& line)>;
    virtual Status append(const std::string& path, const std::string& head, const std::string& lines,
                          const Whole& whole = {});
    // What is written when `path` is asked for: the end of a link. `inPlace`: a character device, opened as it is.
    // Io: neither a regular file nor a character device.
    struct Target {
        std::string path;
        bool inPlace = false;
    };
    virtual Result<Target> target(const std::string& path) { return Target{path, false}; }
    // The name of an empty file beside `path` that nobody had before, with mode and owner of what stands under `path`;
    // Io.
    virtual Result<std::string> beside(const std::string& path) { return path + ".part"; }
};

FileSystem& realFiles();
// Temporary beside the target, sync, rename, sync of the folder.
Status writeAtomic(FileSystem& files, const std::string& path, const std::string& bytes);
// OutOfRange, before anything is read, when the file has more than `most` bytes. Also of a file inside a zip file, see
// zip.h.
Result<std::string> readFile(const std::string& path, std::uint64_t most = kLargestFile);
// One path names the same existing file as another, by whatever way (links, other spellings).
bool sameFile(const std::string& a, const std::string& b);
// Changes whenever the file is written or replaced; "" when there is none.
std::string stampOf(const std::string& path);
// FNV-1a, 64 bit: names content, protects nothing.
std::uint64_t fingerprint(const std::string& bytes, std::uint64_t seed = 1469598103934665603ULL);

} // namespace base
