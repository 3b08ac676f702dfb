// text.h - bytes as text, and a name for content.
#pragma once
#include <string>

namespace base
{

bool isUtf8(const std::string& text);
// The same text where it is UTF-8; what is none stands as U+FFFD, one for each byte.
std::string toUtf8(const std::string& bytes);
// SHA-256 in hexadecimal digits, 64 characters; names content so that nobody can pass other content off under it.
// Source: OpenSSL, FIPS 180-4.
std::string sha256(const std::string& bytes);

} // namespace base
