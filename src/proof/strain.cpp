#include "proof/strain.h"

#include "base/files.h"
#include "base/parallel.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace proof
{
using inspect::PictureResult;
using inspect::Verdict;
using recipe::Step;

namespace
{
// What each row says of one picture: the worst over its items.
enum class Says { Pass, Fail, Lost, Nothing };
struct Answer {
    std::vector<Says> rows;
    bool accepted = false;
};
struct RowKey {
    std::string step, output;
};

Says worse(Says a, Says b)
{
    const auto rank = [](Says s) { return s == Says::Fail ? 3 : s == Says::Lost ? 2 : s == Says::Pass ? 1 : 0; };
    return rank(a) >= rank(b) ? a : b;
}
Answer answerOf(const PictureResult& r, const std::vector<RowKey>& keys)
{
    Answer a{std::vector<Says>(keys.size(), Says::Nothing), r.accepted()};
    for (std::size_t i = 0; i < keys.size(); ++i)
        for (const auto& item : r.items) {
            if (keys[i].output.empty()) {
                const auto* s = item.step(keys[i].step);
                a.rows[i] = worse(a.rows[i], s && s->state == inspect::State::Ok ? Says::Pass : Says::Lost);
                continue;
            }
            const auto* c = item.check(keys[i].step, keys[i].output);
            if (!c || c->verdict == Verdict::Unjudged) continue;
            a.rows[i] = worse(a.rows[i], c->verdict == Verdict::Pass   ? Says::Pass
                                         : c->verdict == Verdict::Fail ? Says::Fail
                                                                       : Says::Lost);
        }
    if (r.error || r.items.empty()) std::fill(a.rows.begin(), a.rows.end(), Says::Lost);
    return a;
}
Turn turnOf(const Answer& before, const Answer& now, std::size_t row, bool bad)
{
    const Says was = before.rows[row], is = now.rows[row];
    if (!bad && was == Says::Pass) {
        if (is == Says::Fail) return Turn::GoodRejected;
        if (is == Says::Lost) return Turn::NotMeasured;
    }
    // A fault that another check still sees is not let through.
    if (bad && was == Says::Fail && is == Says::Pass && now.accepted) return Turn::BadAccepted;
    return Turn::Held;
}

struct Found {
    Turn turn = Turn::Held;
    double level = 0, before = 0;
};
} // namespace

const char* name(Turn t)
{
    constexpr const char* names[] = {"held", "good_rejected", "bad_accepted", "not_measured"};
    return names[std::size_t(t)];
}

const Cell* StrainRow::weakest() const
{
    const Cell* least = nullptr;
    for (const Cell& c : cells)
        if (c.reserve() && (!least || *c.reserve() < *least->reserve() ||
                            (*c.reserve() == *least->reserve() && !c.holds() && least->holds())))
            least = &c;
    return least;
}
double StrainRow::reserve() const
{
    const Cell* w = weakest();
    return w ? *w->reserve() : 0;
}
int Strain::cells() const
{
    int n = 0;
    for (const auto& r : rows) n += int(r.cells.size());
    return n;
}
int Strain::shortCells() const
{
    int n = 0;
    for (const auto& r : rows)
        for (const Cell& c : r.cells) n += !c.holds();
    return n;
}
const StrainRow* Strain::row(const std::string& step, const std::string& output) const
{
    for (const auto& r : rows)
        if (r.step == step && r.output == output) return &r;
    return nullptr;
}

std::uint64_t seedOf(std::uint64_t seed, int trial, const std::string& change)
{
    return base::fingerprint(change, seed * 1000003ull + std::uint64_t(trial) * 7919ull + 11);
}

base::Result<Strain> strain(const inspect::Prepared& prepared, const std::vector<Sample>& samples,
                            const StrainSettings& settings, base::Watch* watch)
{
    const recipe::Recipe& recipe = prepared.recipe();
    Strain out;
    std::vector<RowKey> keys;
    for (const Step& s : recipe.steps) {
        if (!s.inUse) continue;
        const auto* kind = recipe::findKind(s.kind);
        bool own = false;
        for (const auto& c : s.checks) {
            const bool judged =
                c.limits.any() || c.match == recipe::Match::Place ||
                std::any_of(c.elements.begin(), c.elements.end(), [](const auto& e) { return e.own.has_value(); });
            if (!judged) continue;
            own = true;
            out.rows.push_back({s.id, c.output, c.name.empty() ? s.name : c.name, c.balloon, true, {}});
            keys.push_back({s.id, c.output});
        }
        if (kind && kind->datum && !own) {
            out.rows.push_back({s.id, "", (s.letter.empty() ? "" : s.letter + " ") + s.name, 0, true, {}});
            keys.push_back({s.id, ""});
        }
    }
    std::vector<const Sample*> used;
    for (const Sample& s : samples)
        if (s.capture && s.result.accepted() != s.bad) used.push_back(&s);
    out.samples = int(used.size());
    for (const Sample* s : used) ++(s->bad ? out.bad : out.good);
    std::vector<const ChangeKind*> kinds;
    if (!used.empty()) kinds = changesFor(recipe, *used.front()->capture);
    for (const ChangeKind* k : kinds) out.changes.push_back(k->key);

    // One job: one picture under one change, growing until every row that can turn has.
    const int jobs = int(used.size() * kinds.size());
    std::vector<std::vector<Found>> found(static_cast<std::size_t>(jobs));
    std::atomic<int> done{0};
    const auto cancelled = [&] { return watch && watch->cancel.load(); };
    base::parallelFor(jobs, settings.threads, [&](int job) {
        if (cancelled()) return;
        const Sample& sample = *used[std::size_t(job) / kinds.size()];
        const ChangeKind& kind = *kinds[std::size_t(job) % kinds.size()];
        const double expected = expectedOf(recipe, kind);
        const std::uint64_t seed = seedOf(settings.seed, sample.trial, kind.key);
        const auto ask = [&](double level) {
            return answerOf(inspect::evaluate(prepared, changed(*sample.capture, kind.key, level, seed)), keys);
        };
        const Answer before = answerOf(sample.result, keys);
        std::vector<Found>& mine = found[std::size_t(job)];
        mine.resize(keys.size());
        std::map<double, Answer> known;
        double last = 0;
        for (const double share : settings.levels) {
            if (cancelled()) return;
            const double level = share * expected;
            const Answer& now = known.emplace(level, ask(level)).first->second;
            bool open = false;
            for (std::size_t r = 0; r < keys.size(); ++r) {
                Found& f = mine[r];
                if (f.turn != Turn::Held) continue;
                f.level = level, f.before = last;
                f.turn = turnOf(before, now, r, sample.bad);
                const bool can = before.rows[r] == (sample.bad ? Says::Fail : Says::Pass);
                open = open || (can && f.turn == Turn::Held);
            }
            last = level;
            if (!open) break;
        }
        // Between the level that held and the one that did not, where that says whether it is enough.
        for (std::size_t r = 0; r < keys.size(); ++r) {
            Found& f = mine[r];
            if (f.turn == Turn::Held || f.before >= expected || kind.key == std::string("lines")) continue;
            for (int k = 0; k < settings.refine && !cancelled(); ++k) {
                const double middle = (f.before + f.level) / 2;
                auto it = known.find(middle);
                if (it == known.end()) it = known.emplace(middle, ask(middle)).first;
                const Turn t = turnOf(before, it->second, r, sample.bad);
                if (t == Turn::Held) f.before = middle;
                else f.level = middle, f.turn = t;
            }
        }
        if (watch) watch->share = settings.from + (settings.until - settings.from) * double(++done) / jobs;
    });
    if (cancelled()) return base::fail(base::ErrorCode::Cancelled, "stopped");
    for (std::size_t r = 0; r < keys.size(); ++r)
        for (std::size_t k = 0; k < kinds.size(); ++k) {
            Cell c;
            c.change = kinds[k]->key, c.expected = expectedOf(recipe, *kinds[k]);
            c.level = settings.levels.back() * c.expected;
            for (std::size_t s = 0; s < used.size(); ++s) {
                const Found& f = found[s * kinds.size() + k][r];
                if (f.turn == Turn::Held || (c.turn != Turn::Held && f.level >= c.level)) continue;
                c.turn = f.turn, c.level = f.level, c.before = f.before;
                c.sample = int(used[s] - samples.data());
                c.seed = seedOf(settings.seed, used[s]->trial, kinds[k]->key);
            }
            out.rows[r].cells.push_back(std::move(c));
        }
    std::stable_sort(out.rows.begin(), out.rows.end(),
                     [](const StrainRow& a, const StrainRow& b) { return a.reserve() < b.reserve(); });
    return out;
}

Response response(const inspect::Prepared& prepared, const Sample& sample, const std::string& step,
                  const std::string& output, const std::string& change, const std::vector<double>& levels,
                  std::uint64_t seed)
{
    Response out;
    out.levels = levels;
    out.values.assign(levels.size(), std::numeric_limits<double>::quiet_NaN());
    std::vector<PictureResult> results(levels.size());
    base::parallelFor(int(levels.size()), 0, [&](int i) {
        const double level = levels[std::size_t(i)];
        results[std::size_t(i)] = level == 0
                                      ? inspect::evaluate(prepared, *sample.capture)
                                      : inspect::evaluate(prepared, changed(*sample.capture, change, level, seed));
    });
    for (std::size_t i = 0; i < levels.size(); ++i)
        for (const auto& item : results[i].items) {
            const auto* c = item.check(step, output);
            if (!c || c->values.empty()) continue;
            out.unit = c->unit, out.low = c->low, out.high = c->high;
            // Of a list the value that is worst off.
            double worst = c->values.front();
            const double middle = c->low && c->high ? (*c->low + *c->high) / 2
                                  : c->low          ? 1e300
                                  : c->high         ? -1e300
                                                    : worst;
            for (const double v : c->values)
                if (std::abs(v - middle) > std::abs(worst - middle)) worst = v;
            out.values[i] = worst;
            break;
        }
    return out;
}

} // namespace proof
