// arguments.h - words and options of one command line.
#pragma once
#include "base/result.h"
#include "base/unit.h"
#include "cli/commands.h"

#include <cctype>
#include <charconv>
#include <cmath>
#include <map>
#include <set>
#include <string>
#include <vector>

namespace cli
{

// Words and options of one command; an unknown option or a missing value is Bad.
struct Arguments {
    std::vector<std::string> words;
    std::map<std::string, std::string> options;

    static base::Result<Arguments> read(const std::vector<std::string>& all, const std::set<std::string>& withValue,
                                        const std::set<std::string>& flags)
    {
        Arguments a;
        bool optionsOver = false;
        for (std::size_t i = 1; i < all.size(); ++i) {
            // A negative number is no option.
            const bool number =
                all[i].size() > 1 && (std::isdigit(static_cast<unsigned char>(all[i][1])) || all[i][1] == '.');
            if (optionsOver || all[i].size() < 2 || all[i][0] != '-' || number) {
                a.words.push_back(all[i]);
            } else if (all[i] == "--") {
                optionsOver = true;
            } else if (flags.count(all[i])) {
                a.options[all[i]] = "yes";
            } else if (withValue.count(all[i])) {
                if (i + 1 >= all.size() || all[i + 1].empty())
                    return base::fail(base::ErrorCode::InvalidArgument, all[i] + " needs a value");
                if (a.options.count(all[i]))
                    return base::fail(base::ErrorCode::InvalidArgument, all[i] + " is given twice");
                a.options[all[i]] = all[i + 1];
                ++i;
            } else {
                return base::fail(base::ErrorCode::InvalidArgument, "unknown option " + all[i]);
            }
        }
        return a;
    }
    base::Result<long long> number(const std::string& option, long long fallback, long long low, long long high) const
    {
        const auto it = options.find(option);
        if (it == options.end()) return fallback;
        long long v = 0;
        const auto r = std::from_chars(it->second.data(), it->second.data() + it->second.size(), v);
        if (r.ec != std::errc() || r.ptr != it->second.data() + it->second.size() || v < low || v > high)
            return base::fail(base::ErrorCode::OutOfRange, option + " = " + it->second + " is not a whole number in " +
                                                               std::to_string(low) + " .. " + std::to_string(high));
        return v;
    }
    base::Result<double> real(const std::string& option, double fallback, double low, double high) const
    {
        const auto it = options.find(option);
        if (it == options.end()) return fallback;
        double v = 0;
        const auto r = std::from_chars(it->second.data(), it->second.data() + it->second.size(), v);
        if (r.ec != std::errc() || r.ptr != it->second.data() + it->second.size() || !(v >= low && v <= high))
            return base::fail(base::ErrorCode::OutOfRange, option + " = " + it->second + " is not a number in " +
                                                               base::shortest(low) + " .. " + base::shortest(high));
        return v;
    }
    std::string option(const std::string& key) const
    {
        const auto it = options.find(key);
        return it == options.end() ? "" : it->second;
    }
};

// A name the database and the window can take; others would be written under another one.
inline base::Status utf8Name(const std::string& option, const std::string& name)
{
    std::size_t left = 0;
    for (const unsigned char c : name) {
        if (left ? (c & 0xC0) != 0x80 : c >= 0x80 && (c < 0xC2 || c > 0xF4))
            return base::fail(base::ErrorCode::InvalidArgument, option + ": the name is no UTF-8 text", name);
        if (left) --left;
        else if (c >= 0xC2) left = c >= 0xF0 ? 3 : c >= 0xE0 ? 2 : 1;
    }
    if (left) return base::fail(base::ErrorCode::InvalidArgument, option + ": the name is no UTF-8 text", name);
    return {};
}
// Says what is wrong on the error stream; the exit code of bad input.
inline int badInput(std::ostream& err, const base::Error& e)
{
    err << "dikkat-cli: " << e.text() << "\n";
    return kBadInput;
}

} // namespace cli
