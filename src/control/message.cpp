#include "control/message.h"

#include "recipe/robot.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdio>
#include <regex>

namespace control
{
using inspect::ItemResult;

namespace
{
constexpr std::array kOfItem{"verdict",    "word",    "sentence",     "item",        "items",   "number",
                             "record",     "picture", "time",         "batch",       "station", "recipe",
                             "revision",   "failed",  "first_failed", "last_failed", "item.x",  "item.y",
                             "item.angle", "robot.x", "robot.y",      "robot.angle"};
constexpr std::array kOfCheck{"verdict",           "unit",         "failed",     "first_failed_value",
                              "last_failed_value", "first_failed", "last_failed"};
base::Result<std::string> bad(std::size_t at, const std::string& what)
{
    return base::fail(base::ErrorCode::InvalidArgument, what + " (character " + std::to_string(at + 1) + ")");
}
std::string formatted(double v, const std::string& format, int decimals)
{
    char out[400];
    if (format.empty()) return base::toText(v, decimals);
    const char kind = format.back();
    if (kind == 'd')
        std::snprintf(out, sizeof out, ("%" + format.substr(0, format.size() - 1) + "lld").c_str(),
                      (long long)std::llround(v));
    else if (kind == 's') std::snprintf(out, sizeof out, ("%" + format).c_str(), base::toText(v, decimals).c_str());
    else std::snprintf(out, sizeof out, ("%" + format).c_str(), v);
    return out;
}
std::string formatted(const std::string& text, const std::string& format)
{
    if (format.empty() || format.back() != 's') return text;
    const int width = std::atoi(format.c_str());
    const std::string pad(std::size_t(std::max(0, std::abs(width) - int(text.size()))), ' ');
    return width < 0 ? text + pad : pad + text;
}
// Escapes as they are typed; fails at an unknown one.
base::Result<std::string> unescaped(const std::string& text)
{
    std::string out;
    for (std::size_t i = 0; i < text.size(); ++i) {
        if (text[i] != '\\') {
            out += text[i];
            continue;
        }
        const char c = i + 1 < text.size() ? text[i + 1] : ' ';
        const std::string hex = text.substr(std::min(text.size(), i + 2), 2);
        if (c == 'r') out += '\r';
        else if (c == 'n') out += '\n';
        else if (c == 't') out += '\t';
        else if (c == '\\') out += '\\';
        else if (c == 'x' && hex.size() == 2 && std::isxdigit(static_cast<unsigned char>(hex[0])) &&
                 std::isxdigit(static_cast<unsigned char>(hex[1]))) {
            out += char(std::stoi(hex, nullptr, 16));
            i += 2;
        } else return bad(i, "\\r, \\n, \\t, \\\\ and \\xHH are known after a backslash");
        ++i;
    }
    return out;
}
const inspect::CheckResult* checkOf(const ItemResult& item, const std::string& step, const std::string& output)
{
    return item.check(step, output);
}
} // namespace

base::Result<Message> Message::parse(const std::string& pattern, const recipe::Recipe& recipe)
{
    Message m;
    std::string text;
    const auto flush = [&]() -> base::Status {
        if (text.empty()) return {};
        auto plain = unescaped(text);
        if (!plain) return base::passOn(plain.error());
        Part p;
        p.text = std::move(*plain);
        m.m_parts.push_back(std::move(p));
        text.clear();
        return {};
    };
    for (std::size_t i = 0; i < pattern.size(); ++i) {
        const char c = pattern[i];
        if ((c == '{' || c == '}') && i + 1 < pattern.size() && pattern[i + 1] == c) {
            text += c, ++i;
            continue;
        }
        if (c == '}')
            return base::passOn(bad(i, "a closing brace without an opening one; write }} for a brace").error());
        if (c != '{') {
            text += c;
            continue;
        }
        const std::size_t end = pattern.find('}', i);
        if (end == std::string::npos) return base::passOn(bad(i, "this brace is not closed").error());
        if (auto ok = flush(); !ok) return base::passOn(ok.error());
        Part p;
        if (auto ok = readPlace(pattern.substr(i + 1, end - i - 1), i + 1, recipe, p); !ok)
            return base::passOn(ok.error());
        m.m_parts.push_back(std::move(p));
        i = end;
    }
    if (auto ok = flush(); !ok) return base::passOn(ok.error());
    return m;
}

base::Status Message::readPlace(const std::string& whole, std::size_t at, const recipe::Recipe& recipe, Part& part)
{
    std::string text = whole;
    if (const auto bar = text.find('|'); bar != std::string::npos)
        part.otherwise = text.substr(bar + 1), text.resize(bar);
    if (const auto colon = text.rfind(':'); colon != std::string::npos) {
        part.format = text.substr(colon + 1);
        static const std::regex known("-?0?[0-9]{0,2}(\\.[0-9]{1,2})?[fdegs]");
        if (!std::regex_match(part.format, known))
            return base::passOn(
                bad(at + colon + 1, "\"" + part.format + "\" is no format: .3f, 08.2f, d, e, g or 12s").error());
        text.resize(colon);
    }
    if (text.size() > 2 && text.back() == ']')
        if (const auto open = text.rfind('['); open != std::string::npos) {
            const std::string number = text.substr(open + 1, text.size() - open - 2);
            if (number.empty() || number.size() > 5 ||
                !std::all_of(number.begin(), number.end(), [](unsigned char c) { return std::isdigit(c); }) ||
                std::stoi(number) < 1)
                return base::passOn(bad(at + open, "an element is a number from 1").error());
            part.element = std::stoi(number);
            text.resize(open);
        }
    if (std::find(kOfItem.begin(), kOfItem.end(), text) != kOfItem.end()) {
        part.name = text;
        return {};
    }
    for (const char* what : kOfCheck)
        if (const std::string end = std::string(".") + what; text.size() > end.size() && text.ends_with(end))
            part.what = what, text.resize(text.size() - end.size());
    // A check by its name, a step by id or name, and one of its outputs.
    for (const recipe::Step& s : recipe.steps)
        for (const recipe::Check& c : s.checks)
            if (c.name == text) part.step = s.id, part.output = c.output;
    for (const recipe::Step& s : recipe.steps) {
        const recipe::StepKind* kind = recipe::findKind(s.kind);
        if (!kind) continue;
        for (const std::string& name : {s.id, s.name}) {
            if (part.step.empty() && text == name) {
                const auto* main = kind->mainOutput()      ? kind->mainOutput()
                                   : kind->outputs.empty() ? nullptr
                                                           : &kind->outputs.front();
                if (main) part.step = s.id, part.output = main->key;
            }
            if (text.size() > name.size() + 1 && text.compare(0, name.size() + 1, name + ".") == 0 &&
                kind->output(text.substr(name.size() + 1)))
                part.step = s.id, part.output = text.substr(name.size() + 1);
        }
    }
    if (part.step.empty()) {
        std::string there;
        for (const recipe::Step& s : recipe.steps)
            if (!s.checks.empty() && there.size() < 120) there += (there.empty() ? "" : ", ") + s.name;
        return base::passOn(bad(at, "\"" + text + "\" is no step, check or value; there are " + there).error());
    }
    return {};
}

std::string Message::filled(const Part& p, const station::Logged& logged, const ItemResult* item) const
{
    const station::Line& line = logged.line();
    const inspect::PictureResult& r = logged.result();
    if (!p.name.empty()) {
        const auto text = [&](const std::string& s) { return formatted(s, p.format); };
        const auto number = [&](double v, int decimals) { return formatted(v, p.format, decimals); };
        if (p.name == "verdict") return text(item ? inspect::name(item->outcome) : "error");
        if (p.name == "word") return text(item ? item->word : line.release->recipe().rejectWord);
        if (p.name == "sentence") return text(item ? item->sentence() : r.error.value_or(""));
        if (p.name == "item") return number(item ? item->number : 0, 0);
        if (p.name == "items") return number(double(r.items.size()), 0);
        if (p.name == "number") return number(double(logged.inspected.taken.number), 0);
        if (p.name == "record") {
            const std::size_t i = item ? std::size_t(item - r.items.data()) : 0;
            return i < logged.records.size() ? number(double(logged.records[i]), 0) : p.otherwise;
        }
        if (p.name == "picture") return text(r.picture);
        if (p.name == "time") return text(logged.inspected.taken.at);
        if (p.name == "batch") return text(line.batch);
        if (p.name == "station") return text(line.station);
        if (p.name == "recipe") return text(line.release->recipe().name);
        if (p.name == "revision") return number(line.release->revision, 0);
        if (!item) return p.otherwise;
        std::vector<int> failed;
        for (std::size_t i = 0; i < item->checks.size(); ++i)
            if (item->checks[i].verdict == inspect::Verdict::Fail) failed.push_back(item->checks[i].balloon);
        if (p.name == "failed") return number(double(failed.size()), 0);
        if (p.name == "first_failed") return failed.empty() ? p.otherwise : number(failed.front(), 0);
        if (p.name == "last_failed") return failed.empty() ? p.otherwise : number(failed.back(), 0);
        if (!item->pose) return p.otherwise;
        if (p.name.rfind("robot.", 0) == 0) {
            const auto map = recipe::robotMap(line.release->recipe());
            if (!map) return p.otherwise;
            const recipe::RobotPose at = recipe::robotPose(line.release->recipe(), *map, *item->pose);
            return number(p.name == "robot.x" ? at.x : p.name == "robot.y" ? at.y : at.angle, 3);
        }
        const geometry::Point at = recipe::planeOf(line.release->recipe(), item->pose->origin);
        if (p.name == "item.x") return number(at.x, 3);
        if (p.name == "item.y") return number(at.y, 3);
        return number(geometry::degrees(geometry::wrapped(item->pose->angle)), 3);
    }
    if (!item) return p.otherwise;
    const inspect::CheckResult* check = checkOf(*item, p.step, p.output);
    if (p.what == "verdict") return check ? formatted(inspect::name(check->verdict), p.format) : p.otherwise;
    const std::vector<int> failed = check ? check->failed() : std::vector<int>();
    if (p.what == "failed") return check ? formatted(double(failed.size()), p.format, 0) : p.otherwise;
    const inspect::ElementResult* which = nullptr;
    if (p.what.find("_failed") != std::string::npos) {
        if (failed.empty()) return p.otherwise;
        which = &check->elements[std::size_t((p.what[0] == 'f' ? failed.front() : failed.back()) - 1)];
        if (!p.what.ends_with("_value")) return formatted(which->name, p.format);
        if (which->value < 0) return p.otherwise;
    }
    const auto* step = item->step(p.step);
    const auto* out = step && step->state == inspect::State::Ok ? step->output(p.output) : nullptr;
    const base::Unit shownIn = line.release->recipe().shownIn;
    const base::Unit unit = check ? check->unit
                            : out ? out->unit
                                  : base::Unit::None,
                     shown = base::shownAs(unit, shownIn);
    if (p.what == "unit") return formatted(base::symbol(shown), p.format);
    if (which)
        return formatted(base::converted(check->values[std::size_t(which->value)], unit, shown), p.format,
                         base::decimals(shown));
    const std::vector<double>* values = check && !check->values.empty() ? &check->values : out ? &out->values : nullptr;
    // An element that is judged by its place may be missing.
    std::size_t at = p.element > 0 ? std::size_t(p.element - 1) : 0;
    if (check && p.element > 0 && !check->elements.empty()) {
        if (at >= check->elements.size() || check->elements[at].value < 0) return p.otherwise;
        at = std::size_t(check->elements[at].value);
    }
    if (!values || at >= values->size()) return p.otherwise;
    return formatted(base::converted((*values)[at], unit, shown), p.format, base::decimals(shown));
}

std::string Message::of(const station::Logged& logged, std::size_t item) const
{
    const auto& items = logged.result().items;
    const ItemResult* one = item < items.size() && !logged.result().error ? &items[item] : nullptr;
    std::string out;
    for (const Part& p : m_parts) out += p.name.empty() && p.step.empty() ? p.text : filled(p, logged, one);
    return out;
}

} // namespace control
