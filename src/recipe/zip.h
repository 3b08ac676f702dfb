// zip.h - a handful of named members in one zip file, in memory.
//
// Output  the same members give the same bytes (fixed time stamps, sorted names).
// Fails   Corrupt: not a zip, a member's checksum is wrong, a name leaves the archive ("../"), more than 2 GiB
//         unpacked.
// Source  libzip.
#pragma once
#include "base/result.h"

#include <map>
#include <string>

namespace recipe
{

bool isZip(const std::string& bytes);
base::Result<std::map<std::string, std::string>> readZip(const std::string& bytes);
base::Result<std::string> writeZip(const std::map<std::string, std::string>& members);

} // namespace recipe
