// step_kind.h - one step kind, declared once; JSON, form, handles, command line and reference page are read from the
// declaration.
#pragma once
#include "geometry/calibration.h"
#include "geometry/region.h"
#include "image/image.h"
#include "recipe/feature.h"
#include "recipe/param.h"
#include "recipe/step.h"

#include <concepts>
#include <cstdio>
#include <cstdlib>
#include <map>
#include <memory>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <span>
#include <utility>

namespace recipe
{

struct Words {
    std::string key, label, help;
};

// The seven questions of the strip.
enum class Question { Where, What, HowMany, HowBig, HowTrue, Same, SumUp };

struct RegionSpec {
    std::string key, label, help;
    std::vector<geometry::Shape> shapes; // the first is the usual one
    bool needed = true;                  // when not needed and missing: the whole picture
    bool follows = true;                 // carried along by the datum
    bool teaching = false;               // belongs to the reference only; drawn there and nowhere else
    bool searchesAcross = false;         // a window laid along an edge: the arrow stands square to it
    bool searchesRound = false;          // a ring or arc is searched along its way, not across it
};
struct PointSpec {
    std::string key, label, help; // optional place on the reference; without it the middle of the first region
};
struct InputSpec {
    std::string key, label, help;
    std::vector<FeatureType> accepts;
    bool needed = true;
};
struct OutputSpec {
    std::string key, label, help;
    base::Unit unit = base::Unit::None;
    bool list = false;
    bool calibrates = true;  // px becomes mm when the recipe is calibrated; places in the picture do not
    bool main = false;       // a new step gets a check on it
    std::string unitParam{}; // key of the choice that states the unit instead
    // Which way a part is better, for limits that are proposed: where better has no end, one limit is enough.
    enum class Better { Within, More, Less };
    Better better = Better::Within;
    std::optional<double> least{}, most{}; // what the value can be at all: 0 for a size, 1 for a score
    bool filters = true;                   // of a list: objects have this value, so it can filter them
};
// Two settings of which one must not be above the other; `when` a choice has this value, else always.
struct Ordered {
    std::string low, high, when, is;
};

// ---- running
//
// Two kinds of places. Where a step looks (regions, left-out areas) is in picture px. Whatever it finds, reads from
// other steps or answers (points, features, marks, finds, values) is in level px, see geometry/calibration.h: a step
// carries what it sees over by level() and works on as if there were neither tilt nor lens. Without a lens calibration
// both are the same.
struct NamedValue {
    base::Unit unit = base::Unit::None;
    bool list = false;
    std::vector<double> values;
};
struct RunInput {
    const image::Capture& capture;
    std::map<std::string, geometry::Region> regions; // carried over to this picture
    std::map<std::string, geometry::Point> points;
    std::map<std::string, Feature> inputs;
    geometry::Motion motion; // reference → this picture
    geometry::Pose frame;    // the datum here; of the picture itself when the step follows none
    const std::any* taught = nullptr;
    // of each input: every edge point it was found by
    std::map<std::string, std::vector<geometry::Point>> inputPoints{};
    std::vector<geometry::Region> leaveOut{};
    std::vector<Filter> filters{};
    std::vector<Place> places{};
    // Lengths of the step's settings that are stated on the reference (reaches, areas by the square) grow with the
    // part.
    double grows() const { return motion.scale; }
    const geometry::Calibration* calibration = nullptr; // null: none
    const image::Capture* empty = nullptr;              // the picture without a part, for uneven light
    std::map<std::string, NamedValue> named{};          // "step.output" of what a formula names, in the recipe's units

    double mmPerPixel() const { return calibration ? calibration->mmPerPixel() : 0; } // 0: not calibrated
    bool bends() const { return calibration && calibration->bends(); }
    geometry::Point level(geometry::Point picture) const { return bends() ? calibration->level(picture) : picture; }
    geometry::Point picture(geometry::Point level) const { return bends() ? calibration->picture(level) : level; }
    image::GreyView grey() const { return capture.grey.grey(); }
    geometry::Region region(const std::string& key) const
    {
        const auto it = regions.find(key);
        return it == regions.end() ? geometry::Region::whole() : it->second;
    }
};
struct RunOutput {
    std::map<std::string, std::vector<double>> values; // one number for a value, any for a list; in the declared unit
    std::map<std::string, Feature> features;
    std::vector<Mark> marks;
    std::vector<Find> finds;                                      // datums only
    std::vector<Find> surplus{};                                  // of a datum: parts beyond the wanted ones
    std::map<std::string, std::vector<geometry::Point>> points{}; // every edge point, for tolerances of form
    // what should be known beside the values: a list that was cut off
    std::string note{};
    // objects that were found and are in no list: lists are cut off and cannot be judged as wholes
    std::size_t unlisted = 0;
};
struct TeachInput {
    const image::Capture& reference;
    std::map<std::string, geometry::Region> regions; // picture px
    std::map<std::string, geometry::Point> points;   // picture px
    std::vector<geometry::Region> leaveOut{};
    std::vector<Sample> samples{};
    const geometry::Calibration* calibration = nullptr;
    const image::Capture* empty = nullptr; // the picture without a part
};

// ---- evidence: the plot a person trusts the answer by
struct Evidence {
    struct Curve {
        std::string name;
        std::vector<double> x, y;
        bool filled = false, second = false;
    };
    struct Stem { // an edge: where, how strong, whether it counts
        double at, height;
        std::string text;
        bool counts;
        geometry::Point place;
    };
    struct Handle { // a parameter dragged on the plot
        std::string param, label;
        bool alongX;
        double value;
        std::vector<std::pair<std::string, Value>> also{}; // set along with it, e.g. the mode that makes it count
    };
    std::string title, xLabel, yLabel, note;
    std::vector<Curve> curves;
    std::vector<Stem> stems;
    std::vector<Handle> handles;
    bool logarithmic = false;
    // What a grey range takes, for the sheet: levels from low to high, inside the region.
    bool takes = false;
    std::shared_ptr<const image::Image> mask; // 8 bit, the picture's size: 255 is taken; none: by the levels below
    double low = 0, high = 0;
};

// ---- making a step by a gesture on the part
struct Gesture {
    enum class Type { Stroke, Area, Click } type = Type::Stroke;
    geometry::Point from, to;
    double width = 0; // px, averaging width asked for by the wheel; 0: choose
    bool reversed = false;
    std::string fromFeature, toFeature; // "step" ids of found geometry under the ends, when there is any
};
struct OfferInput {
    const image::Capture& capture; // the picture in view; everything here is in its coordinates
    double noise = 1;              // grey levels
    bool hasDatum = false;
    double datumAngle = 0;
    const std::map<std::string, Feature>& features; // by step id
    const geometry::Calibration* calibration = nullptr;
    geometry::Pose datum{}; // here, level px; of the picture itself when there is none
};
struct Offer {
    Step step;                       // regions and points in the coordinates of the picture in view
    int rank = 0;                    // smaller first
    std::string words;               // "edge pair", "distance of two fitted lines"
    std::vector<std::string> chosen; // parameter keys that were chosen for this place
    std::vector<std::string> judged; // outputs that get a check; the kind's main output always does
    std::string wants;               // when something is missing: "1 of 2 found, go on"
};

struct StepKind {
    std::string key, label, help, source;
    std::string purpose; // words a person may look for: "width gap thickness"
    std::string gesture; // how a person makes one on the sheet: "stroke from one hole to the other"
    std::string symbol;  // name of the drawing symbol
    Question question = Question::What;
    int version = 1;
    bool datum = false; // finds parts; others follow it
    // made by drawing an area, not a stroke
    bool byArea = false;
    // which of the step's lists it reads
    bool leavesOut = false, hasFilters = false, hasSamples = false, hasPlaces = false;
    std::string reverse; // key of the flag that turns the search round; empty: a window's ends are swapped
    std::vector<ParamSpec> params;
    std::vector<RegionSpec> regions;
    std::vector<PointSpec> points;
    std::vector<InputSpec> inputs;
    std::vector<OutputSpec> outputs;
    FeatureType feature = FeatureType::Point;
    bool hasFeature = false; // its result is geometry others can read
    // Settings that are lengths in the unit a choice states ("" the value's own, "px", "mm" …); a change of calibration
    // must not read them anew.
    std::vector<std::string> lengths;
    std::string lengthUnit;
    std::vector<Ordered> ordered;
    std::any defaults;

    std::function<base::Result<RunOutput>(const std::any&, const RunInput&)> run;
    std::function<base::Result<std::any>(const std::any&, const TeachInput&)> teach;
    std::function<bool(const std::any&)> needsTeaching;                      // empty: always when it can be taught
    std::function<std::string(const std::any&, const std::any&)> taughtNote; // params, taught → weakness or nothing
    std::function<base::Result<Evidence>(const std::any&, const RunInput&)> evidence;
    // empty: the gesture is not for this kind
    std::function<std::vector<Offer>(const Gesture&, const OfferInput&)> offer;

    const ParamSpec* param(const std::string& name) const;
    bool isReversed(const std::any& params) const;
    // OutOfRange when two settings that belong together contradict each other, naming both; labels for people, keys for
    // files.
    base::Status consistent(const std::any& params, bool labels = false) const;
    bool mustBeTaught(const std::any& params) const;
    const RegionSpec* region(const std::string& name) const;
    const OutputSpec* output(const std::string& name) const;
    const InputSpec* input(const std::string& name) const;
    const OutputSpec* mainOutput() const;
    nlohmann::json paramsToJson(const std::any& values) const;
    // Fails with InvalidArgument or OutOfRange on an unknown key, wrong type or value out of range, naming key and
    // bound.
    base::Result<std::any> paramsFromJson(const nlohmann::json& json) const;
};

std::span<const StepKind> allStepKinds(); // generated list: see CMakeLists.txt
const StepKind* findKind(const std::string& key);

namespace detail
{
struct Anything {
    template <class T> constexpr operator T() const;
};
template <class T, std::size_t... I> constexpr bool takes(std::index_sequence<I...>)
{
    return requires { T{(void(I), Anything{})...}; };
}
template <class T, std::size_t N = 0> constexpr std::size_t fieldCount()
{
    if constexpr (takes<T>(std::make_index_sequence<N + 1>{})) return fieldCount<T, N + 1>();
    else return N;
}
} // namespace detail

// Builder: order of calls is the order on screen, in JSON and in the reference.
template <std::default_initializable P> class Declare
{
public:
    Declare(Words words, Question question, int version, std::string source)
    {
        m_kind.key = std::move(words.key), m_kind.label = std::move(words.label), m_kind.help = std::move(words.help);
        m_kind.symbol = m_kind.key;
        m_kind.question = question;
        m_kind.version = version;
        m_kind.source = std::move(source);
        m_kind.defaults = P{};
    }
    Declare& purpose(std::string words) { return m_kind.purpose = std::move(words), *this; }
    Declare& drawn(std::string words) { return m_kind.gesture = std::move(words), *this; }
    Declare& isDatum() { return m_kind.datum = m_kind.byArea = true, *this; }
    Declare& leavesOut() { return m_kind.leavesOut = true, *this; }
    Declare& filters() { return m_kind.hasFilters = true, *this; }
    Declare& samples() { return m_kind.hasSamples = true, *this; }
    Declare& places() { return m_kind.hasPlaces = true, *this; }
    Declare& needsTeachingIf(bool (*fn)(const P&))
    {
        return m_kind.needsTeaching = [fn](const std::any& p) { return fn(std::any_cast<const P&>(p)); }, *this;
    }
    // Fields that P inherits are declared like its own.
    template <class B> Declare& inherits()
    {
        static_assert(std::is_base_of_v<B, P>);
        m_inherited += detail::fieldCount<B>() - 1;
        return *this;
    }
    Declare& madeByStroke() { return m_kind.byArea = false, *this; }
    Declare& madeByArea() { return m_kind.byArea = true, *this; }
    Declare& statesLengths(std::vector<std::string> keys, std::string unitKey)
    {
        return m_kind.lengths = std::move(keys), m_kind.lengthUnit = std::move(unitKey), *this;
    }
    Declare& ordered(std::string low, std::string high, std::string when = {}, std::string is = {})
    {
        return m_kind.ordered.push_back({std::move(low), std::move(high), std::move(when), std::move(is)}), *this;
    }
    // What is known of outputs that were declared: which way is better and where the value ends.
    Declare& better(const std::vector<std::string>& keys, OutputSpec::Better way, std::optional<double> least = {},
                    std::optional<double> most = {})
    {
        for (OutputSpec& o : m_kind.outputs)
            for (const std::string& key : keys)
                if (o.key == key) o.better = way, o.least = least, o.most = most;
        return *this;
    }
    Declare& filtersNot(const std::string& key)
    {
        for (OutputSpec& o : m_kind.outputs)
            if (o.key == key) o.filters = false;
        return *this;
    }
    Declare& reversedBy(std::string flag) { return m_kind.reverse = std::move(flag), *this; }
    Declare& gives(FeatureType t) { return m_kind.hasFeature = true, m_kind.feature = t, *this; }
    Declare& param(double P::*m, Words w, base::Unit u, Real d, bool primary = false)
    {
        return add<double>(m, std::move(w), u, d, primary);
    }
    Declare& param(int P::*m, Words w, base::Unit u, Whole d, bool primary = false)
    {
        return add<std::int64_t>(m, std::move(w), u, d, primary);
    }
    Declare& param(bool P::*m, Words w, bool primary = false)
    {
        return add<bool>(m, std::move(w), base::Unit::None, Flag{}, primary);
    }
    Declare& param(std::string P::*m, Words w, Text d, bool primary = false)
    {
        return add<std::string>(m, std::move(w), base::Unit::None, std::move(d), primary);
    }
    template <class E>
    requires std::is_enum_v<E> Declare& param(E P::*m, Words w, std::vector<Choice> all, bool primary = false)
    {
        auto names = all;
        ParamSpec s{w.key, w.label, w.help, base::Unit::None, Choices{std::move(all)}, {}, primary, {}, {}};
        s.get = [m, names](const std::any& p) -> Value {
            return names.at(std::size_t(std::any_cast<const P&>(p).*m)).key;
        };
        s.put = [m, names](std::any& p, const Value& v) {
            for (std::size_t i = 0; i < names.size(); ++i)
                if (names[i].key == std::get<std::string>(v)) std::any_cast<P&>(p).*m = E(i);
        };
        return push(std::move(s));
    }
    Declare& region(RegionSpec s) { return m_kind.regions.push_back(std::move(s)), *this; }
    Declare& point(PointSpec s) { return m_kind.points.push_back(std::move(s)), *this; }
    Declare& input(InputSpec s) { return m_kind.inputs.push_back(std::move(s)), *this; }
    Declare& output(OutputSpec s) { return m_kind.outputs.push_back(std::move(s)), *this; }
    template <class T>
    Declare& teaches(base::Result<T> (*fn)(const P&, const TeachInput&),
                     std::string (*note)(const P&, const T&) = nullptr)
    {
        m_kind.teach = [fn](const std::any& p, const TeachInput& in) -> base::Result<std::any> {
            auto made = fn(std::any_cast<const P&>(p), in);
            if (!made) return base::passOn(made.error());
            return std::any(std::move(*made));
        };
        if (note)
            m_kind.taughtNote = [note](const std::any& p, const std::any& t) {
                return note(std::any_cast<const P&>(p), std::any_cast<const T&>(t));
            };
        return *this;
    }
    Declare& shows(base::Result<Evidence> (*fn)(const P&, const RunInput&))
    {
        m_kind.evidence = [fn](const std::any& p, const RunInput& in) { return fn(std::any_cast<const P&>(p), in); };
        return *this;
    }
    Declare& offers(std::vector<Offer> (*fn)(const Gesture&, const OfferInput&)) { return m_kind.offer = fn, *this; }

    StepKind runs(base::Result<RunOutput> (*fn)(const P&, const RunInput&))
    {
        // in every build type, before the first window
        if (m_kind.params.size() != detail::fieldCount<P>() + m_inherited) {
            std::fprintf(stderr, "step kind '%s': a field of its params is not declared\n", m_kind.key.c_str());
            std::abort();
        }
        m_kind.run = [fn](const std::any& p, const RunInput& in) { return fn(std::any_cast<const P&>(p), in); };
        return std::move(m_kind);
    }

private:
    template <class Stored, class M> Declare& add(M P::*m, Words w, base::Unit u, Domain d, bool primary)
    {
        ParamSpec s{w.key, w.label, w.help, u, std::move(d), {}, primary, {}, {}};
        s.get = [m](const std::any& p) -> Value { return Stored(std::any_cast<const P&>(p).*m); };
        s.put = [m](std::any& p, const Value& v) { std::any_cast<P&>(p).*m = M(std::get<Stored>(v)); };
        return push(std::move(s));
    }
    Declare& push(ParamSpec s)
    {
        s.fallback = s.get(m_kind.defaults);
        m_kind.params.push_back(std::move(s));
        return *this;
    }
    StepKind m_kind;
    std::size_t m_inherited = 0;
};

} // namespace recipe
