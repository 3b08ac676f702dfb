// people.h - who may do what: persons with a role and a PIN, in one file beside the records.
//
// Promise  A PIN is kept as its argon2id hash only. Five wrong ones in a row lock that person out for a while; what was
//          counted is on disk before the answer is given, so that starting anew helps nobody. The first person is an
//          administrator, and one always remains.
// Fails    InvalidArgument: a name or PIN that cannot be; NotFound; Denied as InvalidArgument with what to wait for; Io,
//          Corrupt: the file. A file that cannot be read opens nothing: it is no empty file.
// Threads  any one at a time; signing in takes a tenth of a second.
// Source   RFC 9106 (argon2id), by libsodium.
#pragma once
#include "base/files.h"

#include <ctime>
#include <vector>

namespace people
{

enum class Role { Nobody, Operator, Engineer, Administrator };
const char* name(Role role); // "nobody", "operator", "engineer", "administrator"

// What can be done at the window.
enum class Right {
    Run,      // start, stop, take one: anybody, at any time
    Report,   // batch, counts anew, limits within their bounds, overrule: with a name
    Engineer, // everything that decides what is inspected, how and where it is kept
    People
};
bool may(Role role, Right right);

struct Person {
    std::string name;
    Role role = Role::Operator;
    std::string hash; // argon2id, with its salt and costs
    int wrong = 0;    // since the last right one
    std::time_t lockedUntil = 0;
};

constexpr int kMostWrong = 5, kLockSeconds = 300;
constexpr std::size_t kMostPeople = 200, kShortestPin = 4, kLongestPin = 32;

class People
{
public:
    // A file that is not there: nobody, and no sign-in is needed.
    static base::Result<People> load(base::FileSystem& files, const std::string& path);
    bool any() const { return !m_persons.empty(); }
    const std::vector<Person>& persons() const { return m_persons; }
    const Person* find(const std::string& name) const;
    int signOutMinutes() const { return m_signOutMinutes; } // without a hand on the window; 0: never
    // All of these are on disk when they succeed, and nothing is changed when they do not.
    base::Status add(const std::string& name, Role role, const std::string& pin);
    base::Status remove(const std::string& name);
    base::Status setRole(const std::string& name, Role role);
    base::Status setPin(const std::string& name, const std::string& pin); // unlocks too
    base::Status setSignOutMinutes(int minutes);
    base::Result<Role> signIn(const std::string& name, const std::string& pin, std::time_t now);

private:
    base::Status change(std::vector<Person> persons, int minutes);
    base::FileSystem* m_files = nullptr;
    std::string m_path;
    std::vector<Person> m_persons;
    int m_signOutMinutes = 10;
};

} // namespace people
