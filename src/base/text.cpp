#include "base/text.h"

#include <openssl/evp.h>

namespace base
{
namespace
{
// Bytes of the character that begins at `at`; 0: none does. Overlong forms, surrogates and what lies beyond U+10FFFF
// are none.
std::size_t characterAt(const std::string& s, std::size_t at)
{
    const auto byte = [&](std::size_t i) { return i < s.size() ? static_cast<unsigned char>(s[i]) : 0u; };
    const unsigned first = byte(at);
    if (first < 0x80) return 1;
    const std::size_t n = first >= 0xC2 && first <= 0xDF   ? 2
                          : first >= 0xE0 && first <= 0xEF ? 3
                          : first >= 0xF0 && first <= 0xF4 ? 4
                                                           : 0;
    for (std::size_t i = 1; i < n; ++i)
        if ((byte(at + i) & 0xC0u) != 0x80u) return 0;
    const unsigned second = byte(at + 1);
    if ((first == 0xE0 && second < 0xA0) || (first == 0xED && second > 0x9F) || (first == 0xF0 && second < 0x90) ||
        (first == 0xF4 && second > 0x8F))
        return 0;
    return n;
}
} // namespace

bool isUtf8(const std::string& text)
{
    for (std::size_t i = 0; i < text.size();) {
        const std::size_t n = characterAt(text, i);
        if (n == 0) return false;
        i += n;
    }
    return true;
}

std::string toUtf8(const std::string& bytes)
{
    if (isUtf8(bytes)) return bytes;
    std::string out;
    for (std::size_t i = 0; i < bytes.size();) {
        const std::size_t n = characterAt(bytes, i);
        if (n == 0) out += "\xEF\xBF\xBD";
        else out.append(bytes, i, n);
        i += n ? n : 1;
    }
    return out;
}

std::string sha256(const std::string& bytes)
{
    unsigned char digest[EVP_MAX_MD_SIZE];
    unsigned size = 0;
    EVP_Digest(bytes.data(), bytes.size(), digest, &size, EVP_sha256(), nullptr);
    static const char* const digits = "0123456789abcdef";
    std::string out;
    for (unsigned i = 0; i < size; ++i) {
        out += digits[digest[i] >> 4];
        out += digits[digest[i] & 15];
    }
    return out;
}

} // namespace base
