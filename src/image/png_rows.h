// png_rows.h - the short way through the usual PNG file.
//
// Input   bytes of a file. Taken are pictures of 8 or 16 bit, grey or colour without transparency, not interlaced, at
//         most kShortWay bytes of pixels, in which nothing is wrong: every checksum holds and every byte is there.
// Output  exactly the picture the library's reader gives (tests/image_test.cpp); nothing for all other files, which are
//         left to that reader: it knows the rest of the format and says what is wrong.
// Source  PNG specification, third edition (W3C 2023), 5.3 chunks, 9 filtering; inflating by libdeflate.
#pragma once
#include "image/image.h"

#include <optional>
#include <string>

namespace image
{

constexpr std::size_t kShortWay = 256U << 20;

std::optional<Image> readUsualPng(const std::string& bytes);

} // namespace image
