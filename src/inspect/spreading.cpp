#include "inspect/spreading.h"

#include "base/files.h"
#include "recipe/naming.h"

#include <algorithm>
#include <functional>

namespace inspect
{
using namespace recipe;
using geometry::Pose;

namespace
{
constexpr std::uint64_t kScaleSource = 1;
constexpr std::size_t kMostNumbers = 64; // a step reads; with more nothing is said

std::uint64_t ownSource(const Step& step, std::uint64_t n)
{
    return (base::fingerprint(step.id) & ~0xffffull) + 16 + n;
}

void named(const Step& step, Spreads& all)
{
    for (Spread& s : all)
        for (auto& [id, sigma] : s.of) id = ownSource(step, id);
}

// One number that is read: how it is moved, and what it hangs on.
struct Read {
    Spread spread;
    double by = 0; // step of the difference
    std::function<void(RunInput&, double)> move;
};
// False: something is read whose spread is not known.
bool readFeatures(const Step& step, const StepKind& kind, const RunInput& in, const ItemResult& item,
                  std::vector<Read>& out)
{
    for (const InputSpec& spec : kind.inputs) {
        const auto it = in.inputs.find(spec.key);
        if (it == in.inputs.end()) continue;
        const auto id = step.inputs.find(spec.key);
        const StepResult* from = id == step.inputs.end() ? nullptr : item.step(id->second);
        if (!from || from->features.empty()) return false;
        const auto spread = from->featureSpreads.find(from->features.begin()->first);
        const std::vector<double> numbers = numbersOf(it->second);
        if (spread == from->featureSpreads.end() || numbers.empty() || spread->second.size() != numbers.size())
            return false;
        for (std::size_t k = 0; k < numbers.size(); ++k) {
            if (!spread->second[k].known) return false;
            out.push_back({spread->second[k], std::max(1e-3, spread->second[k].sigma()),
                           [key = spec.key, k](RunInput& to, double d) {
                               auto n = numbersOf(to.inputs.at(key));
                               n[k] += d;
                               to.inputs.at(key) = withNumbers(to.inputs.at(key), n);
                           }});
        }
    }
    return true;
}
bool readNamed(const Recipe& recipe, const Step& step, const StepKind& kind, const RunInput& in, const ItemResult& item,
               std::vector<Read>& out)
{
    for (const ParamSpec& p : kind.params) {
        const auto* text = std::get_if<Text>(&p.domain);
        if (!text || !text->formula) continue;
        for (const Naming& n : namings(std::get<std::string>(p.get(step.params)))) {
            const Step* s = recipe.find(n.step);
            const StepKind* of = s ? findKind(s->kind) : nullptr;
            const auto value = in.named.find(n.key());
            const StepResult* from = item.step(n.step);
            if (!of || !from || value == in.named.end() || !n.count.empty()) return false;
            const OutputSpec* main = of->mainOutput();
            const std::string output = n.output.empty() ? (main ? main->key : std::string()) : n.output;
            const auto spread = from->spreads.find(output);
            if (spread == from->spreads.end() || spread->second.size() != value->second.values.size()) return false;
            for (std::size_t k = 0; k < spread->second.size(); ++k) {
                if (!spread->second[k].known) return false;
                const double sigma = spread->second[k].sigma();
                out.push_back({spread->second[k], std::max(1e-4 * std::abs(value->second.values[k]) + 1e-9, sigma),
                               [key = n.key(), k](RunInput& to, double d) { to.named.at(key).values[k] += d; }});
            }
        }
    }
    return true;
}
// The datum's own place: a value that hangs on it is spread only when that is known.
std::vector<Read> readFrame(const Step& step, const ItemResult& item)
{
    std::vector<Read> out;
    if (step.datum.empty()) return out;
    const StepResult* datum = item.step(step.datum);
    Spreads known(3);
    if (datum)
        if (const auto it = datum->featureSpreads.find(kPoseSpread); it != datum->featureSpreads.end())
            known = it->second;
    for (std::size_t k = 0; k < 3; ++k)
        out.push_back({known[k], k < 2 ? 1e-2 : 1e-4, [k](RunInput& to, double d) {
                           Pose& frame = to.frame;
                           if (k == 0) frame.origin.x += d;
                           else if (k == 1) frame.origin.y += d;
                           else frame.angle += d;
                           to.motion.now = frame;
                       }});
    return out;
}

// All numbers a run gives, in one row: what they belong to stays with the shape of `out`.
std::vector<double> rowOf(const RunOutput& out)
{
    std::vector<double> row;
    for (const auto& [key, values] : out.values) row.insert(row.end(), values.begin(), values.end());
    for (const auto& [key, f] : out.features) {
        const auto n = numbersOf(f);
        row.insert(row.end(), n.begin(), n.end());
    }
    if (!out.finds.empty()) {
        const Pose& p = out.finds.front().pose;
        row.insert(row.end(), {p.origin.x, p.origin.y, p.angle});
    }
    return row;
}
void fill(const Spreads& row, RunOutput& out)
{
    std::size_t at = 0;
    const auto take = [&](std::size_t n) {
        Spreads s(row.begin() + std::ptrdiff_t(at), row.begin() + std::ptrdiff_t(at + n));
        at += n;
        return s;
    };
    for (const auto& [key, values] : out.values) out.spreads[key] = take(values.size());
    for (const auto& [key, f] : out.features)
        if (const std::size_t n = numbersOf(f).size()) out.featureSpreads[key] = take(n);
    if (!out.finds.empty()) out.featureSpreads[kPoseSpread] = take(3);
}
bool constructs(const StepKind& kind)
{
    const bool formula = std::any_of(kind.params.begin(), kind.params.end(), [](const ParamSpec& p) {
        const auto* text = std::get_if<Text>(&p.domain);
        return text && text->formula;
    });
    return kind.pictures.empty() && kind.regions.empty() && !kind.byDrawing && (formula || !kind.inputs.empty());
}
} // namespace

void spreadOut(const Recipe& recipe, const Step& step, const StepKind& kind, const RunInput& in, const ItemResult& item,
               RunOutput& out)
{
    if (!out.spreads.empty() || !out.featureSpreads.empty()) {
        for (auto& [key, all] : out.spreads) named(step, all);
        for (auto& [key, all] : out.featureSpreads) named(step, all);
        return;
    }
    if (!constructs(kind)) return;
    std::vector<Read> reads;
    if (!readFeatures(step, kind, in, item, reads) || !readNamed(recipe, step, kind, in, item, reads)) return;
    if (reads.empty() || reads.size() > kMostNumbers) return;
    for (Read& r : readFrame(step, item)) reads.push_back(std::move(r));
    const std::vector<double> here = rowOf(out);
    Spreads row(here.size(), Spread::none());
    for (const Read& r : reads) {
        RunInput low = in, high = in;
        r.move(low, -r.by), r.move(high, r.by);
        const auto a = kind.run(step.params, low), b = kind.run(step.params, high);
        if (!a || !b) return;
        const std::vector<double> below = rowOf(*a), above = rowOf(*b);
        if (below.size() != row.size() || above.size() != row.size()) return;
        for (std::size_t i = 0; i < row.size(); ++i) {
            double difference = above[i] - below[i];
            // An angle that goes round between the two is the same angle.
            for (const double turn : {360.0, 2 * geometry::kPi})
                if (std::abs(std::abs(difference) - turn) < 1e-2 * turn) difference -= std::copysign(turn, difference);
            if (!(std::abs(difference) > 1e-12)) continue; // it does not hang on it
            row[i].add(r.spread, difference / (2 * r.by));
        }
    }
    fill(row, out);
}

Spreads inUnits(const Spreads& px, const std::vector<double>& values, base::Unit unit, double mmPerPixel,
                double scaleSpread)
{
    Spreads out = px;
    const double factor = base::calibrationFactor(unit, mmPerPixel);
    if (factor == 1 || mmPerPixel <= 0) return out;
    const double power = unit == base::Unit::SquarePixel ? 2 : 1;
    for (std::size_t i = 0; i < out.size() && i < values.size(); ++i) {
        for (auto& [id, sigma] : out[i].of) sigma *= factor;
        if (scaleSpread > 0 && out[i].known)
            out[i].add(Spread::source(kScaleSource, power * scaleSpread * std::abs(values[i])));
    }
    return out;
}

} // namespace inspect
