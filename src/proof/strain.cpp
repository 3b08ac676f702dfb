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
    std::uint64_t seed = 0;
};

// A change of one picture that grows, to one side: where each row turns.
class Growing
{
public:
    Growing(const inspect::Prepared& prepared, const std::vector<RowKey>& keys, const Sample& sample,
            const ChangeKind& kind, std::uint64_t seed, const base::Watch* watch)
        : m_prepared(prepared), m_keys(keys), m_sample(sample), m_kind(kind), m_seed(seed), m_watch(watch),
          m_expected(expectedOf(prepared.recipe(), kind)), m_before(answerOf(sample.result, keys)),
          m_whole(std::string(kind.key) == "lines")
    {
    }
    std::vector<Found> all(const StrainSettings& settings)
    {
        std::vector<double> levels, first;
        for (const double share : settings.levels) {
            // Lines are lost whole.
            const double level = m_whole ? std::max(1.0, std::ceil(share * m_expected)) : share * m_expected;
            if (levels.empty() || level > levels.back()) levels.push_back(level);
        }
        for (const double l : levels)
            if (l == m_expected || l == levels.back()) first.push_back(l);
        std::vector<Found> out(m_keys.size());
        for (std::size_t r = 0; r < m_keys.size() && !stopped(); ++r) {
            Found& f = out[r];
            f.level = levels.back(), f.seed = m_seed;
            if (m_before.rows[r] != (m_sample.bad ? Says::Fail : Says::Pass)) continue;
            scan(f, r, first);
            if (f.turn == Turn::Held) continue;
            std::vector<double> between;
            for (const double l : levels)
                if (l > f.before && l <= f.level) between.push_back(l);
            scan(f, r, between);
            // Further where that says whether it is enough.
            if (f.before >= m_expected || m_whole) continue;
            for (int k = 0; k < settings.refine && !stopped(); ++k) {
                const double middle = (f.before + f.level) / 2;
                const Turn t = turnAt(middle, r);
                if (t == Turn::Held) f.before = middle;
                else f.level = middle, f.turn = t;
            }
        }
        return out;
    }

private:
    bool stopped() const { return m_watch && m_watch->cancel.load(); }
    void scan(Found& f, std::size_t row, const std::vector<double>& levels)
    {
        for (const double level : levels) {
            if (stopped()) return;
            if (const Turn t = turnAt(level, row); t != Turn::Held) {
                f.turn = t, f.level = level;
                return;
            }
            f.before = level;
        }
    }
    Turn turnAt(double level, std::size_t row)
    {
        auto it = m_known.find(level);
        if (it == m_known.end())
            it = m_known
                     .emplace(level, answerOf(inspect::evaluate(m_prepared,
                                                                changed(*m_sample.capture, m_kind.key, level, m_seed)),
                                              m_keys))
                     .first;
        return turnOf(m_before, it->second, row, m_sample.bad);
    }
    const inspect::Prepared& m_prepared;
    const std::vector<RowKey>& m_keys;
    const Sample& m_sample;
    const ChangeKind& m_kind;
    const std::uint64_t m_seed;
    const base::Watch* m_watch;
    const double m_expected;
    const Answer m_before;
    const bool m_whole;
    std::map<double, Answer> m_known;
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

std::uint64_t seedOf(std::uint64_t seed, int trial, const std::string& change, int side)
{
    const std::uint64_t any = base::fingerprint(change, seed * 1000003ull + std::uint64_t(trial) * 7919ull + 11);
    return (any & ~1ull) | std::uint64_t(side & 1);
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
            out.rows.push_back({s.id, c.output, c.name.empty() ? s.name : c.name, c.balloon, {}});
            keys.push_back({s.id, c.output});
        }
        if (kind && kind->datum && !own) {
            out.rows.push_back({s.id, "", (s.letter.empty() ? "" : s.letter + " ") + s.name, 0, {}});
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

    // One job: one picture under one change. Of what goes to either side every other picture goes the other way; where
    // there is but one good picture, it goes both.
    struct Job {
        std::size_t sample, kind;
        int side;
    };
    std::vector<Job> jobs;
    int goods = 0, bads = 0;
    for (std::size_t s = 0; s < used.size(); ++s) {
        const int side = (used[s]->bad ? bads++ : goods++) & 1;
        for (std::size_t k = 0; k < kinds.size(); ++k) {
            jobs.push_back({s, k, side});
            if (kinds[k]->sided && !used[s]->bad && out.good == 1) jobs.push_back({s, k, 1 - side});
        }
    }
    std::vector<std::vector<Found>> found(jobs.size());
    std::atomic<int> done{0};
    const auto cancelled = [&] { return watch && watch->cancel.load(); };
    base::parallelFor(int(jobs.size()), settings.threads, [&](int n) {
        if (cancelled()) return;
        const Job& job = jobs[std::size_t(n)];
        const Sample& sample = *used[job.sample];
        const ChangeKind& kind = *kinds[job.kind];
        const std::uint64_t seed = seedOf(settings.seed, sample.trial, kind.key, job.side);
        found[std::size_t(n)] = Growing(prepared, keys, sample, kind, seed, watch).all(settings);
        if (watch)
            watch->share = settings.from + (settings.until - settings.from) * double(++done) / double(jobs.size());
    });
    if (cancelled()) return base::fail(base::ErrorCode::Cancelled, "stopped");
    for (std::size_t r = 0; r < keys.size(); ++r)
        for (std::size_t k = 0; k < kinds.size(); ++k) {
            Cell c;
            c.change = kinds[k]->key, c.expected = expectedOf(recipe, *kinds[k]);
            c.level = settings.levels.back() * c.expected;
            for (std::size_t n = 0; n < jobs.size(); ++n) {
                if (jobs[n].kind != k) continue;
                const Found& f = found[n][r];
                if (f.turn == Turn::Held || (c.turn != Turn::Held && f.level >= c.level)) continue;
                c.turn = f.turn, c.level = f.level, c.before = f.before, c.seed = f.seed;
                c.sample = int(used[jobs[n].sample] - samples.data());
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
