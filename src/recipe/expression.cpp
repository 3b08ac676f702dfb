#include "recipe/expression.h"

#include "recipe/naming.h"

#include <algorithm>
#include <cmath>
#include <muParser.h>
#include <numeric>
#include <optional>

namespace recipe
{
using base::ErrorCode;
using base::fail;

namespace
{
// Lists of the formula that is being worked out on this thread; a list function gets the list's index as its first
// argument.
thread_local const std::vector<std::vector<double>>* t_lists = nullptr;
thread_local std::string t_problem;
const std::vector<double>& listOf(double index)
{
    static const std::vector<double> none;
    return t_lists && index >= 0 && index < double(t_lists->size()) ? (*t_lists)[std::size_t(index)] : none;
}
double empty(const char* what)
{
    if (t_problem.empty()) t_problem = std::string("the list is empty: it has no ") + what;
    return 0;
}
double sumOf(double l)
{
    const auto& v = listOf(l);
    return std::accumulate(v.begin(), v.end(), 0.0);
}
double countOf(double l) { return double(listOf(l).size()); }
double meanOf(double l) { return listOf(l).empty() ? empty("mean") : sumOf(l) / countOf(l); }
double minOf(double l)
{
    return listOf(l).empty() ? empty("least value") : *std::min_element(listOf(l).begin(), listOf(l).end());
}
double maxOf(double l)
{
    return listOf(l).empty() ? empty("greatest value") : *std::max_element(listOf(l).begin(), listOf(l).end());
}
double spreadOf(double l)
{
    if (listOf(l).size() < 2) return listOf(l).empty() ? empty("spread") : 0;
    const double m = meanOf(l);
    double sum = 0;
    for (const double x : listOf(l)) sum += (x - m) * (x - m);
    return std::sqrt(sum / (countOf(l) - 1));
}
double countAbove(double l, double limit)
{
    return double(std::count_if(listOf(l).begin(), listOf(l).end(), [&](double x) { return x > limit; }));
}
double countBelow(double l, double limit)
{
    return double(std::count_if(listOf(l).begin(), listOf(l).end(), [&](double x) { return x < limit; }));
}
double element(double l, double n)
{
    const auto& v = listOf(l);
    const double at = n > 0 ? n - 1 : double(v.size()) + n;
    if (n != std::floor(n) || n == 0 || at < 0 || at >= double(v.size())) {
        if (t_problem.empty())
            t_problem =
                "no value: element " + base::shortest(std::isfinite(n) ? n : 0) + " of " + std::to_string(v.size());
        return 0;
    }
    return v[std::size_t(at)];
}
double divide(double a, double b)
{
    if (b == 0 && t_problem.empty()) t_problem = "division by zero";
    return b == 0 ? 0 : a / b;
}
double notOf(double v) { return v == 0; }
double andOf(double a, double b) { return a != 0 && b != 0; }
double orOf(double a, double b) { return a != 0 || b != 0; }
const char* const kListFunctions[] = {"sum",    "count",      "mean",       "minof",  "maxof",
                                      "spread", "countabove", "countbelow", "element"};

base::Error at(std::size_t place, const std::string& what)
{
    return {ErrorCode::InvalidArgument, "at character " + std::to_string(place + 1) + ": " + what, ""};
}
// Characters, not bytes, are counted for people.
std::size_t characters(const std::string& text, std::size_t bytes)
{
    return std::size_t(std::count_if(text.begin(), text.begin() + std::ptrdiff_t(std::min(bytes, text.size())),
                                     [](char c) { return (c & 0xC0) != 0x80; }));
}

// The function a place is the first argument of, or nothing.
std::string callAround(const std::string& text, std::size_t place)
{
    std::size_t i = place;
    while (i > 0 && text[i - 1] == ' ') --i;
    if (i == 0 || text[i - 1] != '(') return {};
    --i;
    while (i > 0 && text[i - 1] == ' ') --i;
    std::size_t start = i;
    while (start > 0 && (std::isalnum(static_cast<unsigned char>(text[start - 1])) || text[start - 1] == '_')) --start;
    return text.substr(start, i - start);
}
} // namespace

namespace
{
bool isListFunction(const std::string& word)
{
    return std::find(std::begin(kListFunctions), std::end(kListFunctions), word) != std::end(kListFunctions);
}
bool wordLetter(char c) { return std::isalnum(static_cast<unsigned char>(c)) || c == '_'; }

// A comma parts the values of a function and nothing else; as decimal sign it would drop what stands before it.
std::optional<std::size_t> strayComma(const std::string& text)
{
    std::vector<char> calls; // of each open bracket: a function's
    for (std::size_t i = 0, depth = 0; i < text.size(); ++i) {
        if (text[i] == '[') ++depth;
        if (text[i] == ']' && depth) --depth;
        if (depth) continue;
        if (text[i] == '(') {
            std::size_t end = i;
            while (end > 0 && text[end - 1] == ' ') --end;
            std::size_t start = end;
            while (start > 0 && wordLetter(text[start - 1])) --start;
            const std::string word = text.substr(start, end - start);
            calls.push_back(!word.empty() && word != "and" && word != "or" && word != "not");
        }
        if (text[i] == ')' && !calls.empty()) calls.pop_back();
        if (text[i] == ',' && (calls.empty() || !calls.back())) return i;
    }
    return std::nullopt;
}

// First argument of a list function: its place, and how long it is. The call that starts last is met first, so that no
// other lies inside it.
struct ListCall {
    std::size_t argument = 0, length = 0;
};
std::vector<ListCall> listCalls(const std::string& text)
{
    std::vector<ListCall> out;
    for (std::size_t i = text.size(); i-- > 0;) {
        if (text[i] != '(') continue;
        std::size_t end = i;
        while (end > 0 && text[end - 1] == ' ') --end;
        std::size_t start = end;
        while (start > 0 && wordLetter(text[start - 1])) --start;
        if (!isListFunction(text.substr(start, end - start))) continue;
        int open = 0, name = 0;
        std::size_t k = i + 1;
        for (; k < text.size(); ++k) {
            if (text[k] == '[') ++name;
            if (text[k] == ']' && name) --name;
            if (name) continue;
            if (text[k] == '(') ++open;
            if (text[k] == ')' && open-- == 0) break;
            if (text[k] == ',' && open == 0) break;
        }
        out.push_back({i + 1, k - i - 1});
    }
    return out;
}
constexpr std::size_t kMostElements = 10000; // of lists that are reckoned with

// Arithmetic on lists inside a list function, element by element: sum([a] * [b]), maxof([x] - mean([x])). Each such
// argument becomes a list of its own.
base::Status workOutLists(std::string& text, std::map<std::string, NamedValue>& values)
{
    const auto wrong = [&](std::size_t bytes, const std::string& what) {
        return tl::unexpected(at(characters(text, bytes), what));
    };
    int made = 0;
    for (const ListCall& call : listCalls(text)) {
        const std::string argument = text.substr(call.argument, call.length);
        // Lists that stand for their elements: not those another list function takes whole.
        std::string each;
        std::vector<const NamedValue*> lists;
        std::size_t done = 0;
        const auto names = namings(argument);
        for (const Naming& n : names) {
            const auto it = values.find(n.key());
            if (it == values.end() || !it->second.list || isListFunction(callAround(argument, n.at))) continue;
            each += argument.substr(done, n.at - done) + "[#element" + std::to_string(lists.size()) + "]";
            done = n.at + n.length;
            lists.push_back(&it->second);
        }
        each += argument.substr(done);
        const auto first = argument.find_first_not_of(' '), last = argument.find_last_not_of(' ');
        const bool alone =
            lists.size() == 1 && names.size() == 1 && first == names[0].at && last + 1 == names[0].at + names[0].length;
        if (lists.empty() || alone) continue;
        const std::size_t n = lists.front()->values.size();
        for (const NamedValue* l : lists)
            if (l->values.size() != n)
                return wrong(call.argument, "lists of " + std::to_string(n) + " and of " +
                                                std::to_string(l->values.size()) +
                                                " values cannot be reckoned with element by element");
        if (n > kMostElements)
            return wrong(call.argument, "a list of " + std::to_string(n) + " values; at most " +
                                            std::to_string(kMostElements) + " can be reckoned with");
        NamedValue result{base::Unit::None, true, {}};
        auto own = values;
        for (std::size_t i = 0; i < n; ++i) {
            for (std::size_t k = 0; k < lists.size(); ++k)
                own["#element" + std::to_string(k)] = {lists[k]->unit, false, {lists[k]->values[i]}};
            const auto v = evaluateFormula(each, own);
            if (!v && v.error().code == ErrorCode::InvalidArgument)
                return wrong(call.argument, "in the list: " + v.error().message);
            if (!v) return base::passOn(v.error());
            result.values.push_back(*v);
        }
        const std::string key = "#" + std::to_string(made++);
        std::string name = "[" + key + "]";
        if (name.size() > call.length) return wrong(call.argument, "too many lists are reckoned with");
        name.resize(call.length, ' ');
        text.replace(call.argument, call.length, name);
        values[key] = std::move(result);
    }
    return {};
}
} // namespace

base::Result<double> evaluateFormula(const std::string& stated, const std::map<std::string, NamedValue>& given)
{
    std::string text = stated;
    std::map<std::string, NamedValue> values = given;
    const auto wrong = [&](std::size_t bytes, const std::string& what) {
        return tl::unexpected(at(characters(text, bytes), what));
    };
    if (const auto comma = strayComma(text))
        return wrong(*comma, "a comma parts the values of a function; decimals have a point");
    // A single = would assign.
    for (std::size_t i = 0, depth = 0; i < text.size(); ++i) {
        if (text[i] == '[') ++depth;
        if (text[i] == ']' && depth) --depth;
        if (depth || text[i] != '=') continue;
        if (i + 1 < text.size() && text[i + 1] == '=') {
            ++i;
            continue;
        }
        if (i == 0 || (text[i - 1] != '<' && text[i - 1] != '>' && text[i - 1] != '!'))
            return wrong(i, "one = compares nothing; == does");
    }
    if (auto ok = workOutLists(text, values); !ok) return base::passOn(ok.error());
    // Names become words of the same length, so that the parser's places are ours.
    std::string plain = text;
    std::vector<std::vector<double>> lists;
    std::vector<double> numbers;
    std::vector<std::pair<std::string, double>> variables;
    numbers.reserve(64);
    for (const Naming& n : namings(text)) {
        const std::string key = n.key();
        const auto it = values.find(key);
        if (it == values.end() && !n.count.empty())
            return wrong(n.at, "no check is named \"" + key +
                                   "\"; verdicts are counted in the item's rule and in totals only");
        if (it == values.end()) return wrong(n.at, "no result is named \"" + key + "\"");
        const bool list = it->second.list;
        const std::string call = callAround(text, n.at);
        const bool forList =
            std::find(std::begin(kListFunctions), std::end(kListFunctions), call) != std::end(kListFunctions);
        if (list && !forList)
            return wrong(
                n.at, "\"" + key +
                          "\" is a list; put it into sum(), mean(), count(), minof(), maxof(), element() or the like");
        if (!list && forList) return wrong(n.at, "\"" + key + "\" is one value, " + call + "() takes a list");
        if (list) {
            std::size_t after = n.at + n.length;
            while (after < text.size() && text[after] == ' ') ++after;
            if (after < text.size() && text[after] != ')' && text[after] != ',')
                return wrong(after, "a list stands alone in " + call + "()");
        }
        if (variables.size() > 999) return wrong(n.at, "more than 1000 names");
        // "x" and up to three letters of number, filled up with underscores.
        std::string word = "x";
        for (std::size_t k = variables.size(); word.size() < 3; k /= 36)
            word += char(k % 36 < 10 ? '0' + k % 36 : 'a' + k % 36 - 10);
        if (word.size() > n.length) return wrong(n.at, "an empty name");
        word.resize(n.length, '_');
        plain.replace(n.at, n.length, word);
        double value = 0;
        if (list) value = double(lists.size()), lists.push_back(it->second.values);
        else if (it->second.values.empty()) return fail(ErrorCode::NoResult, "\"" + key + "\" has no value");
        else value = it->second.values.front();
        variables.push_back({word, value});
    }
    // A list function must have a list; a plain number would be taken for one's index.
    for (const char* f : kListFunctions)
        for (std::size_t i = plain.find(f); i != std::string::npos; i = plain.find(f, i + 1)) {
            const auto letter = [&](std::size_t k) {
                return k < plain.size() && (std::isalnum(static_cast<unsigned char>(plain[k])) || plain[k] == '_');
            };
            std::size_t open = i + std::char_traits<char>::length(f);
            if ((i > 0 && letter(i - 1)) || letter(open)) continue;
            while (open < plain.size() && plain[open] == ' ') ++open;
            if (open >= plain.size() || plain[open] != '(') continue;
            std::size_t arg = open + 1;
            while (arg < text.size() && text[arg] == ' ') ++arg;
            if (arg >= text.size() || text[arg] != '[')
                return wrong(arg, std::string(f) + "() takes a list in square brackets first");
        }
    for (auto& v : variables) numbers.push_back(v.second);
    try {
        mu::Parser parser;
        parser.ClearConst();
        parser.DefineConst("pi", 3.14159265358979323846);
        parser.DefineFun("sum", sumOf), parser.DefineFun("count", countOf), parser.DefineFun("mean", meanOf);
        parser.DefineFun("minof", minOf), parser.DefineFun("maxof", maxOf), parser.DefineFun("spread", spreadOf);
        parser.DefineFun("countabove", countAbove), parser.DefineFun("countbelow", countBelow),
            parser.DefineFun("element", element);
        parser.DefineFun("round", [](double v) { return std::round(v); });
        // Our own operators: a division by zero is said wherever it happens, and nothing can be assigned.
        parser.EnableBuiltInOprt(false);
        parser.DefineInfixOprtChars("abcdefghijklmnopqrstuvwxyz!+-");
        parser.DefineOprtChars("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ!/+-*^<>=&|");
        const auto left = mu::oaLEFT;
        parser.DefineOprt(
            "+", [](double x, double y) { return x + y; }, mu::prADD_SUB, left),
            parser.DefineOprt(
                "-", [](double x, double y) { return x - y; }, mu::prADD_SUB, left);
        parser.DefineOprt(
            "*", [](double x, double y) { return x * y; }, mu::prMUL_DIV, left),
            parser.DefineOprt("/", divide, mu::prMUL_DIV, left);
        parser.DefineOprt(
            "^", [](double x, double y) { return std::pow(x, y); }, mu::prPOW, mu::oaRIGHT);
        parser.DefineOprt(
            "<", [](double x, double y) { return double(x < y); }, mu::prCMP, left),
            parser.DefineOprt(
                "<=", [](double x, double y) { return double(x <= y); }, mu::prCMP, left);
        parser.DefineOprt(
            ">", [](double x, double y) { return double(x > y); }, mu::prCMP, left),
            parser.DefineOprt(
                ">=", [](double x, double y) { return double(x >= y); }, mu::prCMP, left);
        parser.DefineOprt(
            "==", [](double x, double y) { return double(x == y); }, mu::prCMP, left),
            parser.DefineOprt(
                "!=", [](double x, double y) { return double(x != y); }, mu::prCMP, left);
        for (const char* word : {"and", "&&"}) parser.DefineOprt(word, andOf, mu::prLAND, left);
        for (const char* word : {"or", "||"}) parser.DefineOprt(word, orOf, mu::prLOR, left);
        parser.DefineInfixOprt("not", notOf, mu::prCMP + 1), parser.DefineInfixOprt("!", notOf, mu::prINFIX);
        for (std::size_t i = 0; i < variables.size(); ++i) parser.DefineVar(variables[i].first, &numbers[i]);
        parser.SetExpr(plain);
        t_lists = &lists;
        t_problem.clear();
        const double v = parser.Eval();
        t_lists = nullptr;
        if (!t_problem.empty()) return fail(ErrorCode::NoResult, t_problem);
        if (!std::isfinite(v))
            return fail(ErrorCode::NoResult,
                        "the result is no finite number: a division by zero, or a root or logarithm of what has none");
        return v;
    } catch (const mu::Parser::exception_type& e) {
        t_lists = nullptr;
        const std::size_t place = e.GetPos() >= 0 ? std::size_t(e.GetPos()) : text.size();
        std::string token = e.GetToken();
        std::string what;
        switch (e.GetCode()) {
        case mu::ecUNEXPECTED_EOF: what = "the formula ends too early"; break;
        case mu::ecMISSING_PARENS: what = "a bracket is missing"; break;
        case mu::ecUNEXPECTED_PARENS: what = "a bracket too many"; break;
        case mu::ecTOO_FEW_PARAMS: what = "a value is missing in \"" + token + "()\""; break;
        case mu::ecTOO_MANY_PARAMS: what = "too many values in \"" + token + "()\""; break;
        case mu::ecUNEXPECTED_OPERATOR:
        case mu::ecUNEXPECTED_VAL:
        case mu::ecUNEXPECTED_VAR:
        case mu::ecUNEXPECTED_FUN:
        case mu::ecUNEXPECTED_ARG_SEP: what = "\"" + token + "\" does not fit here"; break;
        case mu::ecUNASSIGNABLE_TOKEN:
            what =
                token.empty() ? "not understood" : "\"" + token + "\" is not known; results stand in square brackets";
            break;
        default: what = token.empty() ? "not understood" : "\"" + token + "\" is not understood";
        }
        return wrong(std::min(place, text.size()), what);
    }
}

} // namespace recipe
