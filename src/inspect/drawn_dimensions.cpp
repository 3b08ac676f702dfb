#include "inspect/drawn_dimensions.h"

#include "drawing/fit.h"
#include "inspect/placing.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

namespace inspect
{
using namespace recipe;
using base::Unit;
using geometry::Point;

namespace
{
constexpr std::size_t kMostHoles = 200;
double rounded(double v) { return std::round(v * 1e4) / 1e4; }

class Making
{
public:
    Making(const Recipe& recipe, std::string datum) : m_recipe(recipe), m_datum(std::move(datum)) {}
    // Added at once, so that ids, names and balloons stay free.
    Step& add(const char* kind, const std::string& name, const nlohmann::json& params)
    {
        const StepKind& k = *findKind(kind);
        Step s = makeStep(m_recipe, k);
        s.name = m_recipe.freshName(name);
        s.datum = m_datum;
        if (auto p = k.paramsFromJson(params)) s.params = std::move(*p);
        s.checks.clear();
        m_recipe.steps.push_back(std::move(s));
        ++m_made;
        return m_recipe.steps.back();
    }
    void check(Step& s, const char* output, const std::string& name, std::optional<double> nominal)
    {
        Check c;
        c.output = output;
        c.name = name;
        c.balloon = m_recipe.freshBalloon();
        if (nominal) {
            c.limits.nominal = rounded(*nominal);
            c.limits.unit = Unit::Millimetre;
            withGeneralTolerance(m_recipe, c, General::Length);
        }
        s.checks.push_back(std::move(c));
    }
    std::vector<Step> made() const { return {m_recipe.steps.end() - std::ptrdiff_t(m_made), m_recipe.steps.end()}; }
    const Recipe& recipe() const { return m_recipe; }

private:
    Recipe m_recipe; // grows as steps are added
    std::string m_datum;
    std::size_t m_made = 0;
};
} // namespace

void withGeneralTolerance(const Recipe& recipe, Check& check, General table)
{
    if (recipe.toleranceClass == ToleranceClass::None || !check.limits.nominal) return;
    if (generalTolerance(recipe.toleranceClass, table, *check.limits.nominal)) check.limits.general = table;
}

std::string drawingDatum(const Recipe& recipe)
{
    for (const Step& s : recipe.steps)
        if (const StepKind* k = findKind(s.kind); k && k->datum && k->byDrawing) return s.id;
    return {};
}

std::vector<Step> everythingDrawn(const Recipe& recipe, const std::string& datum)
{
    const Step* on = recipe.find(datum);
    if (!on || !recipe.drawing.outline) return {};
    const drawing::Outline& outline = *recipe.drawing.outline;
    Making making(recipe, datum);
    struct Hole {
        int element;
        geometry::Circle circle;
        std::string step, name;
    };
    std::vector<Hole> holes;
    for (const drawing::Loop& l : outline.loops())
        if (l.hole && l.round && holes.size() < kMostHoles)
            holes.push_back({l.sides.front().element + 1, *l.round, {}, {}});
    // From the datum corner on: by place along x, then y.
    std::stable_sort(holes.begin(), holes.end(), [](const Hole& a, const Hole& b) {
        const double d = a.circle.centre.x - b.circle.centre.x;
        return std::abs(d) > 0.5 ? d < 0 : a.circle.centre.y > b.circle.centre.y;
    });
    for (std::size_t i = 0; i < holes.size(); ++i) {
        Hole& h = holes[i];
        Step& s = making.add("drawn_circle", "Hole " + std::to_string(i + 1), {{"element", h.element}});
        h.step = s.id;
        h.name = s.name;
        making.check(s, "diameter", s.name, 2 * h.circle.radius);
        making.check(s, "position", s.name + ", place", {});
    }
    for (std::size_t i = 1; i < holes.size(); ++i) {
        Step& s = making.add("distance", "Pitch 1 to " + std::to_string(i + 1), nlohmann::json::object());
        s.inputs = {{"first", holes[0].step}, {"second", holes[i].step}};
        making.check(s, "distance", s.name, geometry::distance(holes[0].circle.centre, holes[i].circle.centre));
    }
    const auto pose = referencePose(making.recipe(), datum);
    if (pose && recipe.mmPerPixel() > 0) {
        const drawing::Laid laid{*pose, 1 / recipe.mmPerPixel(), false};
        const drawing::Box& box = outline.box();
        const std::string material = findKind(on->kind)->paramsToJson(on->params).value("material", "dark");
        Step& s = making.add("contour", "Overall", {{"objects", material}});
        const Point middle = laid.toPicture(drawing::sheet({(box.left + box.right) / 2, (box.bottom + box.top) / 2}));
        const double more = std::max(1.0, 0.03 * outline.size()) * 2 * laid.pxPerMm;
        const auto& c = recipe.calibration;
        geometry::Region frame = geometry::Region::rectangle(middle, box.width() * laid.pxPerMm + more,
                                                             box.height() * laid.pxPerMm + more, pose->angle);
        s.regions["region"] = c.bends() ? frame.mapped([&](Point q) { return c.picture(q); }) : frame;
        making.check(s, "length_x", "Overall length", box.width());
        making.check(s, "length_y", "Overall height", box.height());
    }
    return making.made();
}

} // namespace inspect
