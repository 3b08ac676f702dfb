#include "inspect/repeatability.h"

#include <Eigen/Core>
#include <algorithm>
#include <charconv>
#include <cmath>
#include <filesystem>
#include <random>
#include <sstream>
#include <unsupported/Eigen/SpecialFunctions>

namespace inspect
{
using base::ErrorCode;
using base::fail;

base::Result<Repeatability> repeatability(const std::vector<double>& values, std::optional<double> tolerance,
                                          std::optional<double> truth, const GaugeFactors& k)
{
    if (values.size() < 2)
        return fail(ErrorCode::InvalidArgument,
                    "at least two values are needed, " + std::to_string(values.size()) + " are there");
    if (tolerance && !(*tolerance > 0)) return fail(ErrorCode::InvalidArgument, "the tolerance must be above 0");
    Repeatability r;
    r.n = int(values.size());
    for (const double v : values) r.mean += v / double(r.n);
    double square = 0;
    for (const double v : values) square += (v - r.mean) * (v - r.mean);
    r.spread = std::sqrt(square / (r.n - 1));
    const auto ends = std::minmax_element(values.begin(), values.end());
    r.least = *ends.first, r.greatest = *ends.second;
    if (truth) r.bias = r.mean - *truth;
    if (tolerance && r.spread > 0) {
        r.cg = k.share * *tolerance / (k.width * r.spread);
        if (r.bias) r.cgk = (k.half * *tolerance - std::abs(*r.bias)) / (k.reach * r.spread);
    }
    const double bias = r.bias.value_or(0);
    r.uncertainty = k.coverage * std::sqrt(r.spread * r.spread + bias * bias / 3);
    return r;
}

namespace
{
// Chance that F with these degrees of freedom is above f.
double above(double f, int top, int bottom)
{
    if (!(f > 0)) return 1;
    using A = Eigen::Array<double, 1, 1>;
    const A a(bottom / 2.0), b(top / 2.0), x(bottom / (bottom + top * f));
    return Eigen::betainc(a, b, x)(0);
}
} // namespace

base::Result<Study> study(const std::vector<StudyValue>& values, std::optional<double> tolerance, double poolAbove)
{
    std::vector<std::string> parts, persons;
    const auto index = [](std::vector<std::string>& names, const std::string& name) {
        const auto it = std::find(names.begin(), names.end(), name);
        if (it != names.end()) return std::size_t(it - names.begin());
        names.push_back(name);
        return names.size() - 1;
    };
    std::map<std::pair<std::size_t, std::size_t>, std::vector<double>> cells;
    for (const StudyValue& v : values) {
        const std::size_t part = index(parts, v.part), person = index(persons, v.person);
        cells[{part, person}].push_back(v.value);
    }
    const std::size_t p = parts.size(), o = persons.size();
    if (p < 2 || o < 2)
        return fail(ErrorCode::InvalidArgument, "a study needs at least 2 parts and 2 persons; " + std::to_string(p) +
                                                    " and " + std::to_string(o) + " are there");
    const std::size_t r = cells.begin()->second.size();
    if (r < 2) return fail(ErrorCode::InvalidArgument, "a study needs at least 2 repeats of each part by each person");
    for (std::size_t i = 0; i < p; ++i)
        for (std::size_t k = 0; k < o; ++k)
            if (const auto it = cells.find({i, k}); it == cells.end() || it->second.size() != r)
                return fail(ErrorCode::InvalidArgument, "the study is incomplete: part \"" + parts[i] + "\" by \"" +
                                                            persons[k] + "\" has " +
                                                            std::to_string(it == cells.end() ? 0 : it->second.size()) +
                                                            " values, " + std::to_string(r) + " are expected");
    if (tolerance && !(*tolerance > 0)) return fail(ErrorCode::InvalidArgument, "the tolerance must be above 0");
    const double n = double(p * o * r);
    double grand = 0;
    for (const auto& [at, cell] : cells)
        for (const double v : cell) grand += v / n;
    std::vector<double> byPart(p, 0), byPerson(o, 0);
    double total = 0, within = 0, between = 0;
    for (const auto& [at, cell] : cells) {
        double mean = 0;
        for (const double v : cell) mean += v / double(r);
        byPart[at.first] += mean / double(o), byPerson[at.second] += mean / double(p);
        for (const double v : cell) total += (v - grand) * (v - grand), within += (v - mean) * (v - mean);
        between += double(r) * (mean - grand) * (mean - grand);
    }
    double ssPart = 0, ssPerson = 0;
    for (const double m : byPart) ssPart += double(o * r) * (m - grand) * (m - grand);
    for (const double m : byPerson) ssPerson += double(p * r) * (m - grand) * (m - grand);
    const double ssBoth = std::max(0.0, between - ssPart - ssPerson);
    const int dfPart = int(p) - 1, dfPerson = int(o) - 1, dfBoth = dfPart * dfPerson, dfWithin = int(p * o * (r - 1));
    Study s;
    s.parts = int(p), s.persons = int(o), s.repeats = int(r);
    const auto row = [](const char* name, double ss, int df) { return VarianceRow{name, ss, df, ss / df, {}, {}}; };
    VarianceRow part = row("part", ssPart, dfPart), person = row("person", ssPerson, dfPerson),
                both = row("part × person", ssBoth, dfBoth), error = row("repeatability", within, dfWithin);
    const auto test = [](VarianceRow& of, const VarianceRow& against) {
        if (!(against.mean > 0)) return;
        of.f = of.mean / against.mean;
        of.p = above(*of.f, of.freedom, against.freedom);
    };
    test(both, error);
    s.pooled = both.p && *both.p > poolAbove;
    double varBoth = 0;
    if (s.pooled) {
        // A small interaction is noise like the rest.
        VarianceRow pooled = row("repeatability", within + ssBoth, dfWithin + dfBoth);
        test(part, pooled), test(person, pooled);
        s.table = {part, person, both, pooled};
        error = pooled;
    } else {
        test(part, both), test(person, both);
        s.table = {part, person, both, error};
        varBoth = std::max(0.0, (both.mean - error.mean) / double(r));
    }
    s.table.push_back({"total", total, int(p * o * r) - 1, 0, {}, {}});
    const double against = s.pooled ? error.mean : both.mean;
    const double varPart = std::max(0.0, (part.mean - against) / double(o * r)),
                 varPerson = std::max(0.0, (person.mean - against) / double(p * r));
    const double repeat = error.mean, reproduce = varPerson + varBoth, gauge = repeat + reproduce,
                 all = gauge + varPart;
    for (const auto& [name, v] : {std::pair<const char*, double>{"repeatability", repeat},
                                  {"reproducibility", reproduce},
                                  {"gauge", gauge},
                                  {"part", varPart},
                                  {"total", all}}) {
        Component c{name, v, std::sqrt(v), all > 0 ? 100 * std::sqrt(v / all) : 0, {}};
        if (tolerance) c.shareOfTolerance = 100 * 6 * c.spread / *tolerance;
        s.components.push_back(std::move(c));
    }
    s.categories = gauge > 0 ? std::floor(1.41 * std::sqrt(varPart / gauge)) : 0;
    return s;
}

base::Result<std::vector<StudyValue>> studyFromCsv(const std::string& text, const std::string& name)
{
    std::vector<StudyValue> out;
    std::istringstream lines(text);
    std::string line;
    for (int n = 1; std::getline(lines, line); ++n) {
        if (!line.empty() && line.back() == '\r') line.pop_back();
        if (line.empty()) continue;
        const std::string where = name + ": line " + std::to_string(n);
        const char sign = line.find(';') != std::string::npos ? ';' : ',';
        const auto first = line.find(sign), second = first == std::string::npos ? first : line.find(sign, first + 1);
        if (second == std::string::npos)
            return fail(ErrorCode::Corrupt, "three columns are expected: part, person, value", where);
        StudyValue v{line.substr(0, first), line.substr(first + 1, second - first - 1), 0};
        std::string number = line.substr(second + 1);
        if (sign == ';') std::replace(number.begin(), number.end(), ',', '.');
        number.erase(0, number.find_first_not_of(' '));
        const auto r = std::from_chars(number.data(), number.data() + number.size(), v.value);
        if (r.ec != std::errc() || r.ptr != number.data() + number.size() || !std::isfinite(v.value)) {
            if (n == 1) continue; // a head line
            return fail(ErrorCode::Corrupt, "\"" + number + "\" is not a number", where);
        }
        out.push_back(std::move(v));
    }
    return out;
}

base::Result<std::vector<StudyValue>> studyFromPictures(const std::vector<const PictureResult*>& results,
                                                        const std::string& step, const std::string& output)
{
    std::vector<StudyValue> out;
    for (const PictureResult* r : results) {
        const std::string leaf = std::filesystem::path(r->picture).stem().string();
        const auto first = leaf.find_first_of("-_"),
                   second = first == std::string::npos ? first : leaf.find_first_of("-_", first + 1);
        if (second == std::string::npos || first == 0 || second == first + 1)
            return base::fail(base::ErrorCode::InvalidArgument, "the name does not say part-person-take", r->picture);
        if (r->error) return base::fail(base::ErrorCode::NoResult, *r->error, r->picture);
        if (r->items.size() != 1)
            return base::fail(base::ErrorCode::InvalidArgument,
                              "it holds " + std::to_string(r->items.size()) + " items; the study takes one a picture",
                              r->picture);
        const StepResult* one = r->items.front().step(step);
        const OutputValue* v = one && one->state == State::Ok ? one->output(output) : nullptr;
        if (!v || v->list || v->values.empty())
            return base::fail(base::ErrorCode::NoResult,
                              "not measured" + (one && !one->reason.empty() ? ": " + one->reason : std::string()),
                              r->picture);
        out.push_back({leaf.substr(0, first), leaf.substr(first + 1, second - first - 1), v->values.front()});
    }
    return out;
}

std::vector<Takes> takesOf(const recipe::Recipe& recipe, const std::vector<const PictureResult*>& results)
{
    std::vector<Takes> out;
    for (const recipe::Step& s : recipe.steps)
        for (const recipe::Check& c : s.checks) {
            const recipe::StepKind* kind = recipe::findKind(s.kind);
            const recipe::OutputSpec* spec = kind ? kind->output(c.output) : nullptr;
            if (!s.inUse || !spec || spec->list) continue;
            Takes t{s.id, c.output, c.name, recipe.unitOf(s, *spec), {}, 0, {}};
            if (const auto l = limitsInValueUnit(recipe, s, c);
                l && l->lowest() && l->highest() && *l->highest() > *l->lowest())
                t.tolerance = *l->highest() - *l->lowest();
            for (const PictureResult* r : results)
                for (const ItemResult& item : r->items) {
                    const StepResult* one = item.step(s.id);
                    const OutputValue* v = one && one->state == State::Ok ? one->output(c.output) : nullptr;
                    if (v && !v->values.empty()) t.values.push_back(v->values.front());
                    else ++t.left;
                }
            out.push_back(std::move(t));
        }
    return out;
}

image::Image noisyCopy(const image::Image& picture, double sigma, std::uint64_t seed)
{
    image::Image out = picture.clone();
    // Noise that depends on seed and place alone, whatever library does the drawing: sum of four uniforms is near
    // enough to normal.
    std::mt19937_64 random(seed * 0x9E3779B97F4A7C15ULL + 1);
    const double scale = sigma / std::sqrt(4.0 / 12.0) / 65536.0;
    const auto draw = [&] {
        const std::uint64_t b = random();
        return (double(b & 0xFFFF) + double((b >> 16) & 0xFFFF) + double((b >> 32) & 0xFFFF) + double(b >> 48) -
                2 * 65535.0) *
               scale;
    };
    const bool wide = image::bytesPerSample(picture.format()) == 2;
    const int samples = picture.width() * image::channels(picture.format());
    for (int y = 0; y < out.height(); ++y) {
        auto* row8 = out.row(y);
        auto* row16 = reinterpret_cast<std::uint16_t*>(row8);
        for (int x = 0; x < samples; ++x) {
            if (wide) row16[x] = std::uint16_t(std::clamp(std::lround(row16[x] + 257 * draw()), 0L, 65535L));
            else row8[x] = std::uint8_t(std::clamp(std::lround(row8[x] + draw()), 0L, 255L));
        }
    }
    return out;
}

image::Capture noisyCapture(const image::Capture& capture, double sigma, std::uint64_t seed)
{
    std::vector<image::Picture> pictures;
    for (const image::Picture& p : capture.pictures()) {
        if (p.content == image::Content::Height) {
            pictures.push_back(image::makeHeights(p.pixels.clone(), *p.scale, p.key));
            continue;
        }
        pictures.push_back(image::makePicture(noisyCopy(p.pixels, sigma, seed + 1000003 * pictures.size()), p.key));
    }
    return {capture.id(), std::move(pictures)};
}

} // namespace inspect
