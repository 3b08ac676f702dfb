#include "recipe/naming.h"

#include "recipe/recipe.h"

#include <algorithm>
#include <functional>

namespace recipe
{

std::vector<Naming> namings(const std::string& text)
{
    std::vector<Naming> out;
    for (std::size_t i = 0; i < text.size(); ++i) {
        if (text[i] != '[') continue;
        const std::size_t end = text.find(']', i);
        if (end == std::string::npos) break;
        std::string inside = text.substr(i + 1, end - i - 1);
        const auto trim = [](std::string s) {
            while (!s.empty() && s.front() == ' ') s.erase(0, 1);
            while (!s.empty() && s.back() == ' ') s.pop_back();
            return s;
        };
        std::string count;
        for (const char* word : {".failed", ".missing", ".surplus"})
            if (const std::string w = word; trim(inside).size() > w.size() &&
                                            trim(inside).compare(trim(inside).size() - w.size(), w.size(), w) == 0)
                count = w.substr(1), inside = trim(inside).substr(0, trim(inside).size() - w.size());
        const std::size_t dot = inside.rfind('.');
        Naming n{i, end - i + 1, trim(dot == std::string::npos ? inside : inside.substr(0, dot)),
                 dot == std::string::npos ? std::string() : trim(inside.substr(dot + 1)), count};
        out.push_back(std::move(n));
        i = end;
    }
    return out;
}

namespace
{
// `to` gives the word for a step, or nothing when it is not known.
std::string rewritten(const std::string& text, const std::function<std::string(const std::string& step)>& to)
{
    std::string out;
    std::size_t done = 0;
    for (const Naming& n : namings(text)) {
        out += text.substr(done, n.at - done);
        done = n.at + n.length;
        // A dot may belong to the name itself.
        const std::string whole = n.output.empty() ? n.step : n.step + "." + n.output,
                          count = n.count.empty() ? "" : "." + n.count;
        if (const std::string w = to(whole); !w.empty()) out += "[" + w + count + "]";
        else if (const std::string s = to(n.step); !s.empty())
            out += "[" + s + (n.output.empty() ? "" : "." + n.output) + count + "]";
        else out += text.substr(n.at, n.length);
    }
    return out + text.substr(done);
}
} // namespace

std::string withIds(const std::string& text, const Recipe& recipe)
{
    return rewritten(text, [&](const std::string& word) -> std::string {
        if (recipe.find(word)) return word;
        // A name two steps bear names neither.
        const Step* one = nullptr;
        for (const Step& s : recipe.steps)
            if (s.name == word) {
                if (one) return {};
                one = &s;
            }
        return one ? one->id : std::string();
    });
}

std::string withNames(const std::string& text, const Recipe& recipe)
{
    return rewritten(text, [&](const std::string& word) -> std::string {
        const Step* s = recipe.find(word);
        if (!s) return {};
        // A name another step has too, or with brackets in it, would not lead back.
        const auto same =
            std::count_if(recipe.steps.begin(), recipe.steps.end(), [&](const Step& x) { return x.name == s->name; });
        return same == 1 && s->name.find_first_of("[].") == std::string::npos && !s->name.empty() ? s->name : s->id;
    });
}

} // namespace recipe
