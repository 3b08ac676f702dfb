// files.h - the file system as a seam: the product uses RealFiles, tests break it on purpose.
//
// Promise  writeAtomic() ok  => the new bytes are on disk under `path`, even after a power cut.
//          writeAtomic() !ok => whatever stood under `path` before is still there, whole.
#pragma once
#include "base/result.h"

#include <cstdint>
#include <string>

namespace base
{

class FileSystem
{
public:
    virtual ~FileSystem() = default;
    virtual Result<std::string> read(const std::string& path) = 0;               // NotFound, Io
    virtual Status write(const std::string& path, const std::string& bytes) = 0; // creates or replaces; Io
    virtual Status sync(const std::string& path) = 0;                            // file, then its folder; Io
    virtual Status rename(const std::string& from, const std::string& to) = 0;   // replaces; Io
    virtual Status remove(const std::string& path) = 0;                          // Io
};

FileSystem& realFiles();
// Temporary beside the target, sync, rename, sync of the folder.
Status writeAtomic(FileSystem& files, const std::string& path, const std::string& bytes);
Result<std::string> readFile(const std::string& path);
// FNV-1a, 64 bit: names content, protects nothing.
std::uint64_t fingerprint(const std::string& bytes, std::uint64_t seed = 1469598103934665603ULL);

} // namespace base
