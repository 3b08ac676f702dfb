#include "recipe/recipe.h"

#include "recipe/drawing_file.h"
#include "recipe/naming.h"

#include "base/files.h"
#include "drawing/dxf.h"

#include <algorithm>
#include <nlohmann/json.hpp>

namespace recipe
{

const char* name(Label label) { return label == Label::Good ? "good" : label == Label::Bad ? "bad" : "open"; }

base::Result<Asset> makeAsset(const image::Naming& naming, std::vector<Asset::File> files, std::string origin)
{
    Asset out;
    std::vector<image::FileBytes> pictures;
    for (const image::PictureName& n : naming)
        if (std::none_of(files.begin(), files.end(), [&](const auto& f) { return image::pictureOf(f.key) == n.key; }))
            return base::fail(base::ErrorCode::NotFound, "the picture \"" + n.key + "\" is missing", "reference");
    for (const Asset::File& f : files) {
        pictures.push_back({f.key, f.name, f.bytes});
        out.fingerprint = base::fingerprint(*f.bytes, out.fingerprint);
    }
    auto capture = image::captureOf(naming, pictures, files.empty() ? "" : files.front().name);
    if (!capture) return base::passOn(capture.error(), "reference");
    out.capture = std::make_shared<const image::Capture>(std::move(*capture));
    out.files = std::move(files);
    out.origin = std::move(origin);
    return out;
}

base::Result<Asset> makeAsset(std::string name, std::string bytes, std::string origin)
{
    return makeAsset({}, {{"", std::move(name), std::make_shared<const std::string>(std::move(bytes))}},
                     std::move(origin));
}

base::Result<Asset> makeDrawing(const DrawingSettings& settings, Asset::File file, std::string origin)
{
    auto read = drawing::readDxf(*file.bytes, settings.unit);
    if (!read) return base::passOn(read.error(), file.name);
    Asset out;
    out.drawing = std::make_shared<const drawing::Drawing>(std::move(*read));
    auto outline = drawing::Outline::make(*out.drawing, {settings.layersOff, settings.joinMm});
    if (outline) out.outline = std::make_shared<const drawing::Outline>(std::move(*outline));
    else out.noOutline = outline.error().text();
    out.fingerprint = base::fingerprint(drawingSettingsToJson(settings).dump(), base::fingerprint(*file.bytes));
    out.files.push_back(std::move(file));
    out.origin = std::move(origin);
    return out;
}

std::array<std::pair<const char*, Asset Recipe::*>, 3> Recipe::assets()
{
    return {{{"reference", &Recipe::reference}, {"empty", &Recipe::empty}, {"drawing", &Recipe::drawing}}};
}

std::set<std::string> Recipe::picturesNeeded() const
{
    std::set<std::string> out;
    if (pictures.empty()) return out;
    out.insert(pictures.front().key);
    for (const Step& s : steps) {
        const StepKind* kind = findKind(s.kind);
        if (!kind || !s.inUse) continue;
        for (const PictureSpec& spec : kind->pictures) {
            const auto said = s.pictures.find(spec.key);
            if (said != s.pictures.end() && !said->second.empty()) {
                out.insert(said->second);
                continue;
            }
            if (!spec.needed) continue;
            // Nothing said: the first that holds what the kind reads.
            const auto it = std::find_if(pictures.begin(), pictures.end(), [&](const image::PictureName& n) {
                return n.height.has_value() == spec.height;
            });
            if (it != pictures.end()) out.insert(it->key);
        }
        for (const Place& p : s.places)
            if (!p.picture.empty()) out.insert(p.picture);
    }
    return out;
}
image::Naming Recipe::picturesTaken() const
{
    image::Naming out = pictures;
    const std::set<std::string> needed = picturesNeeded();
    for (image::PictureName& n : out) n.idle = needed.count(n.key) == 0;
    return out;
}
std::vector<std::pair<std::string, Asset*>> Recipe::carried()
{
    std::vector<std::pair<std::string, Asset*>> out;
    for (const auto& [role, member] : assets()) out.emplace_back(role, &(this->*member));
    for (LearnedSample& s : samples) out.emplace_back("sample", &s.picture);
    return out;
}
std::vector<std::pair<std::string, const Asset*>> Recipe::carried() const
{
    std::vector<std::pair<std::string, const Asset*>> out;
    for (const auto& [role, asset] : const_cast<Recipe*>(this)->carried()) out.emplace_back(role, asset);
    return out;
}

const Step* Recipe::find(const std::string& id) const
{
    for (const Step& s : steps)
        if (s.id == id) return &s;
    return nullptr;
}
Step* Recipe::find(const std::string& id) { return const_cast<Step*>(std::as_const(*this).find(id)); }

int Recipe::indexOf(const std::string& id) const
{
    for (std::size_t i = 0; i < steps.size(); ++i)
        if (steps[i].id == id) return int(i);
    return -1;
}

namespace
{
template <class Taken> std::string firstFree(Taken taken, const std::string& stem, int from)
{
    for (int n = from;; ++n)
        if (std::string s = stem + std::to_string(n); !taken(s)) return s;
}
} // namespace

std::string Recipe::freshId() const
{
    return firstFree([this](const std::string& s) { return find(s) != nullptr; }, "s", int(steps.size()) + 1);
}
std::string Recipe::freshName(const std::string& wanted) const
{
    const auto taken = [this](const std::string& s) {
        return std::any_of(steps.begin(), steps.end(), [&](const Step& x) { return x.name == s; });
    };
    return taken(wanted) ? firstFree(taken, wanted + " ", 2) : wanted;
}
std::string Recipe::freshLetter() const
{
    for (char c = 'A'; c <= 'Z'; ++c)
        if (std::none_of(steps.begin(), steps.end(), [&](const Step& s) { return s.letter == std::string(1, c); }))
            return std::string(1, c);
    return "Z";
}
int Recipe::freshBalloon() const
{
    int highest = 0;
    for (const Step& s : steps)
        for (const Check& c : s.checks) highest = std::max(highest, c.balloon);
    return highest + 1;
}

std::vector<std::string> Recipe::reads(const Step& step)
{
    std::vector<std::string> out;
    if (!step.datum.empty()) out.push_back(step.datum);
    for (const auto& [key, id] : step.inputs)
        if (!id.empty()) out.push_back(id);
    for (const auto& [key, of] : step.regionsOf) out.push_back(of.step);
    if (const StepKind* kind = findKind(step.kind))
        for (const ParamSpec& p : kind->params)
            if (const auto* text = std::get_if<Text>(&p.domain); text && text->formula)
                for (const Naming& n : namings(std::get<std::string>(p.get(step.params)))) out.push_back(n.step);
    return out;
}
std::vector<std::string> Recipe::readBy(const std::string& id) const
{
    std::vector<std::string> out;
    for (const Step& s : steps) {
        const auto r = reads(s);
        if (std::find(r.begin(), r.end(), id) != r.end()) out.push_back(s.id);
    }
    return out;
}

base::Unit Recipe::unitOf(const Step& step, const OutputSpec& output) const
{
    if (!output.unitParam.empty())
        if (const StepKind* kind = findKind(step.kind))
            if (const ParamSpec* p = kind->param(output.unitParam))
                return base::unitFrom(std::get<std::string>(p->get(step.params))).value_or(base::Unit::None);

    return output.calibrates && calibrated() ? base::calibrated(output.unit) : output.unit;
}

namespace
{
// What a value in `from` is worth in `to` under this calibration; 0: no way.
double between(const Recipe& r, base::Unit from, base::Unit to)
{
    using base::Unit;
    const double k = r.mmPerPixel();
    if (base::convertible(from, to)) return base::converted(1, from, to);
    if (!(k > 0)) return 0;
    if (from == Unit::Pixel && base::convertible(Unit::Millimetre, to)) return base::converted(k, Unit::Millimetre, to);
    if (from == Unit::SquarePixel && base::convertible(Unit::SquareMillimetre, to))
        return base::converted(k * k, Unit::SquareMillimetre, to);
    if (to == Unit::Pixel && base::convertible(from, Unit::Millimetre))
        return base::converted(1, from, Unit::Millimetre) / k;
    if (to == Unit::SquarePixel && base::convertible(from, Unit::SquareMillimetre))
        return base::converted(1, from, Unit::SquareMillimetre) / (k * k);
    return 0;
}
bool hasLimits(const Check& c)
{
    return c.limits.any() ||
           std::any_of(c.elements.begin(), c.elements.end(), [](const Element& e) { return e.own.has_value(); });
}
} // namespace

std::vector<std::pair<std::string, std::string>> foreignLimits(const Recipe& recipe)
{
    std::vector<std::pair<std::string, std::string>> out;
    for (const Step& s : recipe.steps)
        for (const Check& c : s.checks) {
            const StepKind* kind = findKind(s.kind);
            const OutputSpec* spec = kind ? kind->output(c.output) : nullptr;
            if (spec && hasLimits(c) && !base::convertible(c.limits.unit, recipe.unitOf(s, *spec)))
                out.emplace_back(s.id, c.output);
        }
    return out;
}

namespace
{
void convert(Check& c, base::Unit to, double factor)
{
    if (c.uncertainty) *c.uncertainty *= factor;
    for (auto* may : {&c.lowMay, &c.highMay})
        if (*may) *may = Span{(*may)->from * factor, (*may)->to * factor};
    for (Element& e : c.elements)
        if (e.own) e.own = e.own->in(to, factor);
    c.limits = c.limits.in(to, factor);
}
} // namespace

Check convertedCheck(const Recipe& recipe, const Step& step, const Check& check)
{
    const StepKind* kind = findKind(step.kind);
    const OutputSpec* spec = kind ? kind->output(check.output) : nullptr;
    if (!spec) return check;
    const base::Unit to = recipe.unitOf(step, *spec);
    const double factor = between(recipe, check.limits.unit, to);
    if (base::convertible(check.limits.unit, to) || !(factor > 0)) return check;
    Check out = check;
    convert(out, to, factor);
    return out;
}

Recipe recalibrated(const Recipe& recipe, const geometry::Calibration& calibration, bool convertLimits)
{
    Recipe out = recipe;
    out.calibration = calibration;
    for (Step& s : out.steps) {
        const StepKind* kind = findKind(s.kind);
        if (!kind) continue;
        // A stated length states its unit from now on: a change of calibration must not read it anew.
        if (const ParamSpec* unit = kind->param(kind->lengthUnit)) {
            if (std::get<std::string>(unit->get(s.params)).empty())
                unit->put(s.params, std::string(recipe.calibrated() ? "mm" : "px"));
            const auto from = base::unitFrom(std::get<std::string>(unit->get(s.params))).value_or(base::Unit::None);
            const base::Unit to = out.calibrated() ? base::Unit::Millimetre : base::Unit::Pixel;
            const double k = between(out.calibrated() ? out : recipe, from, to);
            if (convertLimits && !base::convertible(from, to) && k > 0) {
                for (const std::string& key : kind->lengths)
                    if (const ParamSpec* p = kind->param(key)) p->put(s.params, std::get<double>(p->get(s.params)) * k);
                unit->put(s.params, std::string(base::symbol(to)));
            }
        }
        for (Check& c : s.checks) {
            const OutputSpec* spec = kind->output(c.output);
            if (!spec) continue;
            if (!hasLimits(c)) {
                c.limits.unit = out.unitOf(s, *spec);
            } else if (convertLimits) {
                // From real units to px the old scale holds, the other way the new one.
                const Recipe& scale = out.calibrated() ? out : recipe;
                const base::Unit to = out.unitOf(s, *spec);
                const double factor = between(scale, c.limits.unit, to);
                if (!base::convertible(c.limits.unit, to) && factor > 0) convert(c, to, factor);
            }
        }
    }
    return out;
}

std::vector<Element> gridOfPlaces(int rows, int columns, geometry::Point first, geometry::Point column,
                                  geometry::Point row)
{
    std::vector<Element> out;
    for (int r = 0; r < rows; ++r)
        for (int c = 0; c < columns; ++c)
            out.push_back({std::to_string(r + 1) + "." + std::to_string(c + 1), {}, first + column * c + row * r});
    return out;
}

base::Result<std::vector<int>> orderByDependence(const std::vector<Step>& steps)
{
    std::map<std::string, int> index;
    for (std::size_t i = 0; i < steps.size(); ++i) index[steps[i].id] = int(i);
    std::vector<int> order, state(steps.size(), 0); // 0 new, 1 open, 2 done
    std::vector<int> way;
    std::string circle;
    const std::function<bool(int)> visit = [&](int i) {
        if (state[std::size_t(i)] == 2) return true;
        way.push_back(i);
        if (state[std::size_t(i)] == 1) {
            const auto from = std::find(way.begin(), way.end(), i);
            for (auto it = from; it != way.end(); ++it)
                circle += (circle.empty() ? "\"" : " → \"") + steps[std::size_t(*it)].name + "\"";
            return false;
        }
        state[std::size_t(i)] = 1;
        for (const std::string& id : Recipe::reads(steps[std::size_t(i)]))
            if (const auto it = index.find(id); it != index.end() && !visit(it->second)) return false;
        way.pop_back();
        state[std::size_t(i)] = 2;
        order.push_back(i);
        return true;
    };
    for (std::size_t i = 0; i < steps.size(); ++i)
        if (!visit(int(i)))
            return base::fail(base::ErrorCode::InvalidArgument, "steps read each other in a circle: " + circle,
                              "steps");
    return order;
}

Step makeStep(const Recipe& recipe, const StepKind& kind)
{
    Step s;
    s.id = recipe.freshId();
    s.kind = kind.key;
    s.name = recipe.freshName(kind.usualName.empty() ? kind.label : kind.usualName);
    s.params = kind.defaults;
    if (kind.datum) s.letter = recipe.freshLetter();
    if (const OutputSpec* main = kind.mainOutput()) {
        Check c;
        c.output = main->key;
        c.name = s.name;
        c.limits.unit = recipe.unitOf(s, *main);
        c.limits.low = main->usualLow, c.limits.high = main->usualHigh;
        c.balloon = kind.datum ? 0 : recipe.freshBalloon();
        s.checks.push_back(c);
    }
    return s;
}

} // namespace recipe
