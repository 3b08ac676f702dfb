#include "recipe/soundness.h"

#include "recipe/expression.h"
#include "recipe/naming.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace recipe
{
using base::ErrorCode;
using geometry::Point;
using geometry::Region;
using geometry::Shape;

namespace
{
class Inspector
{
public:
    explicit Inspector(const Recipe& recipe) : m_recipe(recipe)
    {
        for (std::size_t i = 0; i < recipe.steps.size(); ++i) m_index.emplace(recipe.steps[i].id, i);
        for (const Step& s : recipe.steps) ++m_names[s.name];
        if (!recipe.reference.empty())
            m_width = recipe.reference.capture->width(), m_height = recipe.reference.capture->rows();
    }
    std::vector<base::Error> all()
    {
        for (std::size_t i = 0; i < m_recipe.steps.size(); ++i) step(i);
        formula(m_recipe.rule, "rule", true);
        for (std::size_t i = 0; i < m_recipe.totals.size(); ++i)
            formula(m_recipe.totals[i].expression, "totals[" + std::to_string(i) + "]: expression", true);
        emptyPicture();
        return std::move(m_out);
    }

private:
    void say(const std::string& where, const std::string& message, ErrorCode code = ErrorCode::InvalidArgument)
    {
        m_out.push_back({code, message, where});
    }
    const Step* find(const std::string& id) const
    {
        const auto it = m_index.find(id);
        return it == m_index.end() ? nullptr : &m_recipe.steps[it->second];
    }
    static std::string quoted(const std::string& s) { return "\"" + s + "\""; }
    // Ids of the steps a reference may name.
    template <class F> std::string choices(F fits, const std::string& none) const
    {
        std::string out;
        int left = 0;
        for (const Step& s : m_recipe.steps) {
            const StepKind* k = findKind(s.kind);
            if (!k || !fits(s, *k)) continue;
            if (out.size() < 300) out += (out.empty() ? "" : ", ") + quoted(s.id);
            else ++left;
        }
        return out.empty() ? none : "there are " + out + (left ? " and " + std::to_string(left) + " more" : "");
    }

    // Every kind of picture it reads is chosen and holds what is wanted.
    void pictures(const Step& s, const StepKind& kind, const std::string& here)
    {
        for (const PictureSpec& spec : kind.pictures) {
            const auto it = s.pictures.find(spec.key);
            const bool said = it != s.pictures.end();
            if (!said && !spec.needed) continue;
            if (!said && &spec != &kind.pictures.front()) {
                say(here + spec.key, "it has not been said which of the recipe's pictures it is");
                continue;
            }
            // Without names it is for the file to say what it holds; without a choice the first that fits is read.
            if (m_recipe.pictures.empty() && spec.height) continue;
            auto name = std::find_if(m_recipe.pictures.begin(), m_recipe.pictures.end(), [&](const auto& n) {
                return said ? n.key == it->second : n.height.has_value() == spec.height;
            });
            if (!said && name == m_recipe.pictures.end()) name = m_recipe.pictures.begin();
            const bool height = name != m_recipe.pictures.end() && name->height;
            if (height != spec.height)
                say(here + spec.key, std::string("takes ") + (spec.height ? "heights" : "light") + ", " +
                                         (name == m_recipe.pictures.end() ? "the picture" : quoted(name->key)) +
                                         " holds " + (height ? "heights" : "light"));
        }
    }
    void step(std::size_t i)
    {
        const Step& s = m_recipe.steps[i];
        const StepKind* kind = findKind(s.kind);
        if (!kind) return;
        const std::string here = "steps[" + std::to_string(i) + "] " + quoted(s.id);
        if (!s.datum.empty()) datum(s, here);
        inputs(s, *kind, here);
        pictures(s, *kind, here + ": pictures: ");
        for (const RegionSpec& spec : kind->regions) region(s, *kind, spec, here);
        for (const auto& [key, p] : s.points)
            if (outside(p))
                say(here + ": points: " + key, place(p) + " lies outside the reference of " + size(),
                    ErrorCode::OutOfRange);
        for (std::size_t k = 0; k < s.leaveOut.size(); ++k)
            shape(s.leaveOut[k], here + ": leave_out[" + std::to_string(k) + "]");
        for (std::size_t k = 0; k < s.samples.size(); ++k)
            if (!s.samples[k].colour && outside(s.samples[k].at))
                say(here + ": samples[" + std::to_string(k) + "]",
                    place(s.samples[k].at) + " lies outside the reference of " + size(), ErrorCode::OutOfRange);
        for (std::size_t k = 0; k < s.filters.size(); ++k)
            if (const OutputSpec* o = kind->output(s.filters[k].output); !o || !o->list || !o->filters)
                say(here + ": filters[" + std::to_string(k) + "]: output",
                    quoted(s.filters[k].output) + " filters no object; " + filterNames(*kind));
        if (auto ok = kind->consistent(s.params); !ok) say(here + ": params", ok.error().message, ok.error().code);
        if (kind->byDrawing && !m_recipe.drawing.outline)
            say("drawing", m_recipe.drawing.empty() ? "is missing: " + here + " (" + s.kind + ") reads it"
                                                    : "gives " + here + " no outline: " + m_recipe.drawing.noOutline);
        if (kind->byDrawing && !m_recipe.calibrated())
            say("calibration", "is missing: " + here + " (" + s.kind + ") reads a drawing in mm");
        if (kind->byDrawing && !kind->datum)
            if (const Step* on = m_recipe.find(s.datum); !on || !findKind(on->kind) || !findKind(on->kind)->byDrawing)
                say(here + ": datum", "must be one that lays the drawing");
        if (kind->mustBeTaught(s.params) && kind->taughtOnReference() && m_recipe.reference.empty())
            say("reference", "is missing: " + here + " (" + s.kind + ") is taught from it");
        for (const ParamSpec& p : kind->params)
            if (const auto* text = std::get_if<Text>(&p.domain); text && text->formula)
                formula(std::get<std::string>(p.get(s.params)), here + ": params: " + p.key, false);
        if (const Roles& roles = kind->roles; kind->hasSamples && kind->takesColour(s.params) && s.samples.empty() &&
                                              !s.regions.count(roles.colourRegion))
            say(here + ": samples", "are missing: with " + roles.colourSetting + " " + quoted(roles.colourValue) +
                                        " a colour must be shown (samples, or the region " + roles.colourRegion + ")");
        for (std::size_t k = 0; k < s.checks.size(); ++k)
            check(s, *kind, s.checks[k], here + ": checks[" + std::to_string(k) + "]");
    }
    static std::string filterNames(const StepKind& kind)
    {
        std::string names;
        for (const OutputSpec& o : kind.outputs)
            if (o.list && o.filters) names += (names.empty() ? "" : ", ") + o.key;
        return names.empty() ? "kind \"" + kind.key + "\" takes no filters" : "possible are " + names;
    }

    void datum(const Step& s, const std::string& here)
    {
        const Step* d = find(s.datum);
        const StepKind* k = d ? findKind(d->kind) : nullptr;
        const auto list = [&] {
            return choices([&](const Step& x, const StepKind& kind) { return kind.datum && x.id != s.id; },
                           "the recipe has no datum");
        };
        if (!d) say(here + ": datum", quoted(s.datum) + " is no step of the recipe; " + list());
        else if (k && !k->datum)
            say(here + ": datum", quoted(s.datum) + " is a step of kind \"" + d->kind + "\", no datum; " + list());
        else if (!d->inUse && s.inUse) say(here + ": datum", quoted(s.datum) + " is not in use");
    }
    void inputs(const Step& s, const StepKind& kind, const std::string& here)
    {
        for (const InputSpec& spec : kind.inputs) {
            const auto it = s.inputs.find(spec.key);
            const bool given = it != s.inputs.end() && !it->second.empty();
            const auto fits = [&](const Step& x, const StepKind& k) {
                return x.id != s.id && k.hasFeature &&
                       std::find(spec.accepts.begin(), spec.accepts.end(), k.feature) != spec.accepts.end();
            };
            std::string wanted;
            for (const FeatureType t : spec.accepts) wanted += (wanted.empty() ? "" : ", ") + std::string(name(t));
            const std::string at = here + ": inputs: " + spec.key,
                              list = choices(fits, "the recipe has no step that gives one of: " + wanted);
            if (!given) {
                if (spec.needed) say(at, "is missing; " + list);
                continue;
            }
            const Step* from = find(it->second);
            const StepKind* k = from ? findKind(from->kind) : nullptr;
            if (!from) say(at, quoted(it->second) + " is no step of the recipe; " + list);
            else if (k && !fits(*from, *k))
                say(at, quoted(it->second) + " (" + from->kind + ") gives " +
                            (k->hasFeature ? "a " + std::string(name(k->feature)) : "no feature") +
                            ", not one of: " + wanted + "; " + list);
            else if (!from->inUse && s.inUse) say(at, quoted(it->second) + " is not in use");
        }
    }
    void region(const Step& s, const StepKind& kind, const RegionSpec& spec, const std::string& here)
    {
        const std::string at = here + ": regions: " + spec.key;
        if (const auto of = s.regionsOf.find(spec.key); of != s.regionsOf.end()) {
            const Step* from = find(of->second.step);
            const StepKind* k = from ? findKind(from->kind) : nullptr;
            const auto list = [&] {
                return choices([&](const Step& x, const StepKind& kindOf) { return x.id != s.id && kindOf.hasFeature; },
                               "no step of the recipe gives a feature");
            };
            if (!from) say(at + ": of", quoted(of->second.step) + " is no step of the recipe; " + list());
            else if (k && !k->hasFeature)
                say(at + ": of", quoted(of->second.step) + " (" + from->kind + ") gives no feature; " + list());
            return;
        }
        const auto it = s.regions.find(spec.key);
        if (it == s.regions.end()) {
            std::string shapes;
            for (const Shape x : spec.shapes) shapes += (shapes.empty() ? "" : ", ") + std::string(geometry::name(x));
            const bool taught = spec.teaching && !kind.mustBeTaught(s.params);
            if (spec.needed && !taught) say(at, "is missing: a region must be drawn; possible shapes are " + shapes);
            return;
        }
        shape(it->second, at);
    }
    void shape(const Region& r, const std::string& at)
    {
        if (r.shape == Shape::Polygon)
            if (const auto sides = geometry::crossingSides(r.points))
                say(at, "polygon: the side from points[" + std::to_string(sides->first) +
                            "] crosses the one from points[" + std::to_string(sides->second) + "]");
        if (m_width == 0 || r.shape == Shape::Whole) return;
        // Of an area something must lie in the picture; a way must begin or end there.
        double left = 1e300, top = 1e300, right = -1e300, bottom = -1e300;
        for (const auto& outline : r.outlines())
            for (const Point p : outline)
                left = std::min(left, p.x), right = std::max(right, p.x), top = std::min(top, p.y),
                bottom = std::max(bottom, p.y);
        if (right < 0 || bottom < 0 || left > m_width - 1 || top > m_height - 1)
            return say(at,
                       "lies outside the reference of " + size() + ": x " + number(left) + " .. " + number(right) +
                           ", y " + number(top) + " .. " + number(bottom),
                       ErrorCode::OutOfRange);
        if (right - left < 2 || bottom - top < 2)
            if (r.shape == Shape::Rectangle || r.shape == Shape::Circle || r.shape == Shape::Polygon)
                say(at,
                    "is " + number(right - left) + " × " + number(bottom - top) + " px; at least 2 × 2 px are needed",
                    ErrorCode::OutOfRange);
    }
    void check(const Step& s, const StepKind& kind, const Check& c, const std::string& at)
    {
        const OutputSpec* spec = kind.output(c.output);
        const auto alone = [](const Limits& l) { return l.nominal && !l.any(); };
        if (alone(c.limits))
            say(at + ": nominal", base::shortest(*c.limits.nominal) +
                                      " alone judges nothing: give plus and minus, low and high, or general");
        for (std::size_t i = 0; i < c.elements.size(); ++i)
            if (c.elements[i].at && outside(*c.elements[i].at) && m_width > 0)
                say(at + ": elements[" + std::to_string(i) + "]: at",
                    place(*c.elements[i].at) + " lies outside the reference of " + size(), ErrorCode::OutOfRange);
        if (spec && c.limits.any() && c.limits.general != General::None &&
            m_recipe.toleranceClass == ToleranceClass::None)
            say(at + ": general",
                "needs general_tolerance in the recipe: ISO 2768-f, ISO 2768-m, ISO 2768-c or ISO 2768-v");
        (void)s;
    }

    // Names that lead nowhere, or to more than one step; an expression the parser does not take.
    void formula(const std::string& text, const std::string& at, bool verdicts)
    {
        if (text.empty()) {
            if (!verdicts) say(at, "is empty");
            return;
        }
        std::map<std::string, NamedValue> values;
        bool known = true;
        for (const Naming& n : namings(text)) {
            const Step* s = find(n.step);
            const StepKind* kind = s ? findKind(s->kind) : nullptr;
            const std::string character = "at character " + std::to_string(n.at + 1) + ": ";
            if (!s) {
                const auto same = m_names.find(n.step);
                if (same != m_names.end() && same->second > 1)
                    say(at, character + std::to_string(same->second) + " steps are named " + quoted(n.step) +
                                ": use the id");
                else
                    say(at, character + quoted(n.step) + " is no step of the recipe; " +
                                choices([](const Step&, const StepKind& k) { return !k.outputs.empty(); },
                                        "it has none with values"));
                known = false;
                continue;
            }
            // A name that two steps bear was taken for the first of them.
            if (!n.count.empty()) {
                values[n.key()] = {base::Unit::None, false, {1}};
                continue;
            }
            const OutputSpec* spec = !n.output.empty() ? kind->output(n.output) : kind->mainOutput();
            if (!spec && n.output.empty() && !kind->outputs.empty()) spec = &kind->outputs.front();
            if (!spec && !verdicts) {
                std::string outputs;
                for (const OutputSpec& o : kind->outputs) outputs += (outputs.empty() ? "" : ", ") + o.key;
                say(at, character + "step " + quoted(n.step) + " (" + s->kind + ") has no value " + quoted(n.output) +
                            (outputs.empty() ? "" : "; there are " + outputs));
                known = false;
                continue;
            }
            values[n.key()] = {base::Unit::None, !verdicts && spec && spec->list, {1, 2, 3}};
        }
        if (!known) return;
        // With made-up numbers: what is wrong with the text shows, what is wrong with the numbers does not count.
        if (const auto v = evaluateFormula(text, values); !v && v.error().code == ErrorCode::InvalidArgument)
            say(at, v.error().message);
    }
    void emptyPicture()
    {
        if (m_recipe.empty.empty() || m_recipe.reference.empty()) return;
        const auto& e = m_recipe.empty.capture->first().pixels;
        if (e.width() != m_width || e.height() != m_height)
            say("empty_picture", "is " + std::to_string(e.width()) + " × " + std::to_string(e.height()) +
                                     " px, the reference " + size());
    }

    bool outside(Point p) const
    {
        return m_width > 0 && (p.x < -0.5 || p.y < -0.5 || p.x > m_width - 0.5 || p.y > m_height - 0.5);
    }
    std::string size() const { return std::to_string(m_width) + " × " + std::to_string(m_height) + " px"; }
    static std::string number(double v) { return base::toText(v, 0); }
    static std::string place(Point p) { return number(p.x) + ", " + number(p.y); }

    const Recipe& m_recipe;
    std::map<std::string, std::size_t> m_index;
    std::map<std::string, int> m_names;
    int m_width = 0, m_height = 0;
    std::vector<base::Error> m_out;
};
} // namespace

std::vector<base::Error> unsound(const Recipe& recipe) { return Inspector(recipe).all(); }

} // namespace recipe
