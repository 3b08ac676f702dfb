#include "people/people.h"

#include "recipe/recipe_json.h"

#include <algorithm>
#include <filesystem>
#include <sodium.h>

namespace people
{
using base::ErrorCode;
using base::fail;
using nlohmann::json;

namespace
{
constexpr const char* kRoles[] = {"nobody", "operator", "engineer", "administrator"};
constexpr int kMostMinutes = 1440;

base::Result<std::string> hashOf(const std::string& pin)
{
    if (pin.size() < kShortestPin || pin.size() > kLongestPin)
        return fail(ErrorCode::OutOfRange, "a PIN has " + std::to_string(kShortestPin) + " to " +
                                               std::to_string(kLongestPin) + " digits or letters");
    if (sodium_init() < 0) return fail(ErrorCode::Io, "no randomness for a PIN");
    std::string out(crypto_pwhash_STRBYTES, '\0');
    if (crypto_pwhash_str_alg(out.data(), pin.data(), pin.size(), crypto_pwhash_OPSLIMIT_INTERACTIVE,
                              crypto_pwhash_MEMLIMIT_INTERACTIVE, crypto_pwhash_ALG_ARGON2ID13) != 0)
        return fail(ErrorCode::Io, "not enough memory for a PIN");
    out.resize(out.find('\0'));
    return out;
}
bool administrator(const Person& p) { return p.role == Role::Administrator; }
base::Status sound(const std::vector<Person>& persons)
{
    if (persons.size() > kMostPeople)
        return fail(ErrorCode::OutOfRange, "more than " + std::to_string(kMostPeople) + " persons");
    if (!persons.empty() && std::none_of(persons.begin(), persons.end(), administrator))
        return fail(ErrorCode::InvalidArgument, "there must be an administrator");
    return {};
}
base::Result<Person> personFrom(const json& j, const std::string& where)
{
    recipe::ObjectReader o(j, where);
    Person p;
    std::string role;
    double until = 0;
    o.text("name", p.name, true), o.text("role", role, true), o.text("pin", p.hash, true);
    o.whole("wrong", p.wrong, 0, 1000000);
    o.number("locked_until", until, 0, 1e12);
    p.lockedUntil = std::time_t(until);
    const auto known = std::find(std::begin(kRoles) + 1, std::end(kRoles), role);
    if (known == std::end(kRoles)) o.wrong("role = \"" + role + "\" is not one of: operator, engineer, administrator");
    if (auto ok = o.done(); !ok) return base::passOn(ok.error());
    p.role = Role(known - std::begin(kRoles));
    return p;
}
} // namespace

const char* name(Role role) { return kRoles[std::size_t(role)]; }

bool may(Role role, Right right)
{
    switch (right) {
    case Right::Run: return true;
    case Right::Report: return role != Role::Nobody;
    case Right::Engineer: return role == Role::Engineer || role == Role::Administrator;
    case Right::People: return role == Role::Administrator;
    }
    return false;
}

base::Result<People> People::load(base::FileSystem& files, const std::string& path)
{
    People out;
    out.m_files = &files;
    out.m_path = path;
    const auto text = files.read(path);
    if (!text && text.error().code == ErrorCode::NotFound) return out;
    if (!text) return base::passOn(text.error());
    const json j = json::parse(*text, nullptr, false);
    if (j.is_discarded()) return fail(ErrorCode::Corrupt, "is no JSON", path);
    recipe::ObjectReader o(j, path);
    std::string format;
    int version = 0;
    o.text("format", format, true), o.whole("version", version, 1, 1, true);
    o.whole("sign_out_after_minutes", out.m_signOutMinutes, 0, kMostMinutes);
    const json* persons = o.field("people");
    if (format != "dikkat-people") o.wrong("format is not \"dikkat-people\"");
    if (!persons || !persons->is_array()) o.wrong("people must be a list");
    if (auto ok = o.done(); !ok) return base::passOn(ok.error());
    for (std::size_t i = 0; i < persons->size(); ++i) {
        auto one = personFrom((*persons)[i], path + ": people[" + std::to_string(i) + "]");
        if (!one) return base::passOn(one.error());
        out.m_persons.push_back(std::move(*one));
    }
    if (auto ok = sound(out.m_persons); !ok) return base::passOn(ok.error(), path);
    return out;
}

const Person* People::find(const std::string& who) const
{
    const auto it = std::find_if(m_persons.begin(), m_persons.end(), [&](const Person& p) { return p.name == who; });
    return it == m_persons.end() ? nullptr : &*it;
}

base::Status People::change(std::vector<Person> persons, int minutes)
{
    if (auto ok = sound(persons); !ok) return ok;
    json j{{"format", "dikkat-people"}, {"version", 1}, {"sign_out_after_minutes", minutes}};
    j["people"] = json::array();
    for (const Person& p : persons)
        j["people"].push_back({{"name", p.name},
                               {"role", name(p.role)},
                               {"pin", p.hash},
                               {"wrong", p.wrong},
                               {"locked_until", std::int64_t(p.lockedUntil)}});
    if (auto ok = base::writeAtomic(*m_files, m_path, j.dump(1, ' ', false, json::error_handler_t::replace) + "\n");
        !ok)
        return ok;
    std::error_code ignored; // nobody else's to read
    std::filesystem::permissions(m_path, std::filesystem::perms::owner_read | std::filesystem::perms::owner_write,
                                 ignored);
    m_persons = std::move(persons);
    m_signOutMinutes = minutes;
    return {};
}

base::Status People::add(const std::string& who, Role role, const std::string& pin)
{
    if (who.empty() || who.size() > 100) return fail(ErrorCode::InvalidArgument, "a name has 1 to 100 characters");
    if (find(who)) return fail(ErrorCode::InvalidArgument, "there is one named \"" + who + "\" already");
    auto hash = hashOf(pin);
    if (!hash) return base::passOn(hash.error());
    auto persons = m_persons;
    persons.push_back({who, role, std::move(*hash), 0, 0});
    if (m_persons.empty() && role != Role::Administrator)
        return fail(ErrorCode::InvalidArgument, "the first person is an administrator");
    return change(std::move(persons), m_signOutMinutes);
}

namespace
{
tl::unexpected<base::Error> nobody(const std::string& who)
{
    return fail(ErrorCode::NotFound, "there is nobody named \"" + who + "\"");
}
} // namespace

base::Status People::remove(const std::string& who)
{
    if (!find(who)) return nobody(who);
    auto persons = m_persons;
    std::erase_if(persons, [&](const Person& p) { return p.name == who; });
    // With the last one everything is open again.
    return change(std::move(persons), m_signOutMinutes);
}

base::Status People::setRole(const std::string& who, Role role)
{
    if (!find(who)) return nobody(who);
    auto persons = m_persons;
    for (Person& p : persons)
        if (p.name == who) p.role = role;
    return change(std::move(persons), m_signOutMinutes);
}

base::Status People::setPin(const std::string& who, const std::string& pin)
{
    if (!find(who)) return nobody(who);
    auto hash = hashOf(pin);
    if (!hash) return base::passOn(hash.error());
    auto persons = m_persons;
    for (Person& p : persons)
        if (p.name == who) p.hash = *hash, p.wrong = 0, p.lockedUntil = 0;
    return change(std::move(persons), m_signOutMinutes);
}

base::Status People::setSignOutMinutes(int minutes)
{
    if (minutes < 0 || minutes > kMostMinutes)
        return fail(ErrorCode::OutOfRange, "minutes = " + std::to_string(minutes) + " is outside 0 .. 1440");
    return change(m_persons, minutes);
}

base::Result<Role> People::signIn(const std::string& who, const std::string& pin, std::time_t now)
{
    const Person* p = find(who);
    if (!p) return nobody(who);
    if (now < p->lockedUntil)
        return fail(ErrorCode::InvalidArgument,
                    "too many wrong PINs: wait " + std::to_string((p->lockedUntil - now + 59) / 60) + " min");
    // The wrong one is counted before it is known to be one: pulling the plug helps nobody.
    auto persons = m_persons;
    Person& counted = persons[std::size_t(p - m_persons.data())];
    if (++counted.wrong >= kMostWrong) counted.lockedUntil = now + kLockSeconds, counted.wrong = 0;
    const bool locks = counted.lockedUntil > now;
    const std::string hash = p->hash;
    if (auto ok = change(std::move(persons), m_signOutMinutes); !ok) return base::passOn(ok.error());
    if (sodium_init() < 0 || crypto_pwhash_str_verify(hash.c_str(), pin.data(), pin.size()) != 0)
        return fail(ErrorCode::InvalidArgument, locks ? "the PIN is wrong; that were " + std::to_string(kMostWrong) +
                                                            ": wait " + std::to_string(kLockSeconds / 60) + " min"
                                                      : "the PIN is wrong");
    persons = m_persons;
    Person& in = *std::find_if(persons.begin(), persons.end(), [&](const Person& x) { return x.name == who; });
    in.wrong = 0, in.lockedUntil = 0;
    const Role role = in.role;
    if (auto ok = change(std::move(persons), m_signOutMinutes); !ok) return base::passOn(ok.error());
    return role;
}

} // namespace people
