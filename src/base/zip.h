// zip.h - named members in one zip file: a handful in memory, pictures one by one.
//
// Output  the same members give the same bytes (fixed time stamps, sorted names).
// Fails   Corrupt: not a zip, a member's checksum is wrong, a name leaves the archive ("../"), more than 1 GiB
//         unpacked. NotFound: no such member.
// Source  libzip.
#pragma once
#include "base/files.h"

#include <atomic>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace base
{

bool isZip(const std::string& bytes);
// Every member, or those whose name does not begin with `except`.
using Members = std::map<std::string, std::string>;
Result<Members> readZip(const std::string& bytes);
Result<Members> readZipFile(const std::string& path, const std::string& except);
Result<std::string> writeZip(const Members& members);

// A file inside a zip file is named by the zip's path and its own name: "/home/a/plate.dikkat/trials/7.png".
struct Inside {
    std::string archive, member;
};
std::optional<Inside> insideOf(const std::string& path); // nothing: no part of the path is a file that is a zip
Result<std::string> readMember(const Inside& at, std::uint64_t most);
std::string stampOf(const Inside& at);                 // of what it holds; "" when it is not there
std::optional<std::uint64_t> sizeOf(const Inside& at); // bytes; nothing: it is not there
std::vector<std::string> membersOf(const std::string& archive, const std::string& begins); // empty when it is no zip

// What becomes a member: bytes, or a file (which may lie inside a zip, even the one that is being replaced).
struct Member {
    std::string name;
    std::shared_ptr<const std::string> bytes; // null: `file`
    std::string file{};
};
// How far a long piece of work is, and whether somebody wants it to end. Threads: any.
struct Watch {
    std::atomic<double> share{0}; // 0 .. 1
    std::atomic<bool> cancel{false};
};
// Written beside and put in place when all is on disk, as writeAtomic; members are streamed, not held.
// Fails   also NotFound, Io: a file cannot be read (named); Cancelled; what stood there stays.
Status writeZipFile(FileSystem& files, const std::string& path, const std::vector<Member>& members,
                    Watch* watch = nullptr);

} // namespace base
