// recipe_json.h - reading untrusted JSON objects field by field; whatever was not asked for is an error.
#pragma once
#include "base/result.h"
#include "geometry/geometry.h"

#include <nlohmann/json.hpp>
#include <optional>
#include <set>

namespace recipe
{

class ObjectReader
{
public:
    ObjectReader(const nlohmann::json& json, std::string where) : m_json(json), m_where(std::move(where))
    {
        if (!json.is_object()) wrong("must be an object");
    }
    const nlohmann::json* field(const std::string& key)
    {
        m_asked.insert(key);
        if (!m_json.is_object()) return nullptr;
        const auto it = m_json.find(key);
        return it == m_json.end() || it->is_null() ? nullptr : &*it;
    }
    void text(const std::string& key, std::string& out, bool needed = false)
    {
        if (const auto* j = field(key)) {
            if (j->is_string()) out = j->get<std::string>();
            else wrong(key + " must be a text");
        } else if (needed) missing(key);
    }
    void number(const std::string& key, double& out, double low, double high, bool needed = false)
    {
        if (const auto* j = field(key)) {
            if (!j->is_number()) return wrong(key + " must be a number");
            const double v = j->get<double>();
            if (!(v >= low && v <= high))
                return wrong(key + " = " + j->dump() + " is outside " + nlohmann::json(low).dump() + " .. " +
                                 nlohmann::json(high).dump(),
                             base::ErrorCode::OutOfRange);
            out = v;
        } else if (needed) missing(key);
    }
    void number(const std::string& key, std::optional<double>& out)
    {
        double v = 0;
        if (field(key)) number(key, v, -1e12, 1e12), out = v;
    }
    void whole(const std::string& key, int& out, int low, int high, bool needed = false)
    {
        double v = out;
        if (const auto* j = field(key); j && !j->is_number_integer()) return wrong(key + " must be a whole number");
        number(key, v, low, high, needed);
        out = int(v);
    }
    void flag(const std::string& key, bool& out)
    {
        if (const auto* j = field(key)) {
            if (j->is_boolean()) out = j->get<bool>();
            else wrong(key + " must be true or false");
        }
    }
    void wrong(const std::string& message, base::ErrorCode code = base::ErrorCode::InvalidArgument)
    {
        if (m_status) m_status = base::fail(code, message, m_where);
    }
    void adopt(const base::Error& error)
    {
        if (m_status) m_status = base::passOn(error, m_where);
    }
    void missing(const std::string& key)
    {
        if (m_missing.empty()) m_missing = key;
        wrong(key + " is missing");
    }
    const std::string& where() const { return m_where; }
    // The first thing that was wrong, unknown fields included.
    base::Status done()
    {
        // A misspelt field is named, not the one that is missing because of it.
        if ((m_status || !m_missing.empty()) && m_json.is_object())
            for (const auto& [key, value] : m_json.items()) {
                if (m_asked.count(key)) continue;
                std::string known;
                for (const std::string& k : m_asked) known += (known.empty() ? "" : ", ") + k;
                return base::fail(base::ErrorCode::InvalidArgument,
                                  "unknown field \"" + key + "\"" +
                                      (m_missing.empty() ? "" : "; " + m_missing + " is missing") + "; known are " +
                                      known,
                                  m_where);
            }
        return m_status;
    }

private:
    const nlohmann::json& m_json;
    std::string m_where, m_missing;
    std::set<std::string> m_asked;
    base::Status m_status;
};

inline nlohmann::json pointJson(geometry::Point p) { return nlohmann::json::array({p.x, p.y}); }
inline base::Result<geometry::Point> pointFrom(const nlohmann::json& j, const std::string& where)
{
    if (!j.is_array() || j.size() != 2 || !j[0].is_number() || !j[1].is_number())
        return base::fail(base::ErrorCode::InvalidArgument, "must be [x, y] in px", where);
    const geometry::Point p{j[0].get<double>(), j[1].get<double>()};
    if (!(std::abs(p.x) <= 1e6 && std::abs(p.y) <= 1e6))
        return base::fail(base::ErrorCode::OutOfRange, "a number is outside -1000000 .. 1000000 px", where);
    return p;
}
inline void readPoint(ObjectReader& o, const std::string& key, geometry::Point& out)
{
    const auto* j = o.field(key);
    if (!j) return o.missing(key);
    if (auto p = pointFrom(*j, key)) out = *p;
    else o.adopt(p.error());
}

} // namespace recipe
