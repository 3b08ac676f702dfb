// declare.h - how a step kind is declared: a struct of settings, and one chain of calls.
#pragma once
#include "recipe/step_kind.h"

#include <concepts>
#include <cstdio>
#include <cstdlib>
#include <utility>

namespace recipe
{

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
    Declare& called(std::string name) { return m_kind.usualName = std::move(name), *this; }
    // Settings that are read only while a choice has one of these values.
    Declare& readWhen(std::initializer_list<const char*> keys, const std::string& choice,
                      const std::vector<std::string>& values)
    {
        for (const char* key : keys)
            for (ParamSpec& p : m_kind.params)
                if (p.key == key) p.when = choice, p.is = values;
        return *this;
    }
    Declare& onRound(std::string output) { return m_kind.roles.roundValue = std::move(output), *this; }
    Declare& purpose(std::string words) { return m_kind.purpose = std::move(words), *this; }
    Declare& drawn(std::string words) { return m_kind.gesture = std::move(words), *this; }
    Declare& isDatum() { return m_kind.datum = m_kind.byArea = true, *this; }
    Declare& readsDrawing() { return m_kind.byDrawing = true, *this; }
    Declare& readsSamples() { return m_kind.bySamples = true, *this; }
    Declare& leavesOut() { return m_kind.leavesOut = true, *this; }
    Declare& filters() { return m_kind.hasFilters = true, *this; }
    Declare& samples() { return m_kind.hasSamples = true, *this; }
    Declare& kinds() { return m_kind.hasKinds = true, *this; }
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
    Declare& stated(std::initializer_list<const char*> keys, OutputSpec::Drawn drawn)
    {
        for (const char* key : keys)
            for (OutputSpec& o : m_kind.outputs)
                if (o.key == key) o.drawn = drawn;
        return *this;
    }
    // Limits that follow from what the value is, not from the part.
    Declare& usually(const std::string& key, std::optional<double> low, std::optional<double> high)
    {
        for (OutputSpec& o : m_kind.outputs)
            if (o.key == key) o.usualLow = low, o.usualHigh = high;
        return *this;
    }
    // Values that say where a thing lies: no example is told from another by them.
    Declare& placesOnly(std::initializer_list<const char*> keys)
    {
        for (const char* key : keys)
            for (OutputSpec& o : m_kind.outputs)
                if (o.key == key) o.place = true;
        return *this;
    }
    Declare& filtersNot(const std::string& key)
    {
        for (OutputSpec& o : m_kind.outputs)
            if (o.key == key) o.filters = false;
        return *this;
    }
    Declare& reversedBy(std::string flag) { return m_kind.roles.reversed = std::move(flag), *this; }
    Declare& reversedRoundBy(std::string flag) { return m_kind.roles.reversedRound = std::move(flag), *this; }
    Declare& origin(std::string point) { return m_kind.roles.origin = std::move(point), *this; }
    Declare& direction(std::string setting) { return m_kind.roles.direction = std::move(setting), *this; }
    Declare& expects(std::string setting) { return m_kind.roles.expected = std::move(setting), *this; }
    Declare& place(std::string x, std::string y)
    {
        return m_kind.roles.places.emplace_back(std::move(x), std::move(y)), *this;
    }
    // The values of a result that is one place: in the picture, and along the datum.
    Declare& onePlace()
    {
        using base::Unit;
        return output({"x", "x", "Place in the picture.", Unit::Pixel, false, false})
            .output({"y", "y", "Place in the picture.", Unit::Pixel, false, false})
            .place("x", "y")
            .output({"along_x", "Along datum x", "Place along the datum's x direction.", Unit::Pixel})
            .output({"along_y", "Along datum y", "Place along the datum's y direction.", Unit::Pixel});
    }
    Declare& find(std::string x, std::string y, std::string angle, std::string score = {}, std::string scale = {})
    {
        Roles& r = m_kind.roles;
        r.findX = std::move(x);
        r.findY = std::move(y);
        r.findAngle = std::move(angle);
        r.findScore = std::move(score);
        r.findScale = std::move(scale);
        return place(r.findX, r.findY);
    }
    Declare& colourWhen(std::string setting, std::string value, std::string region)
    {
        m_kind.roles.colourSetting = std::move(setting);
        m_kind.roles.colourValue = std::move(value);
        m_kind.roles.colourRegion = std::move(region);
        return *this;
    }
    Declare& colourTolerance(std::string setting) { return m_kind.roles.colourTolerance = std::move(setting), *this; }
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
        ParamSpec s{w.key, w.label, w.help, base::Unit::None, Choices{std::move(all)}, {}, primary, {}, {}, {}, {}};
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
    // Without it the kind reads no pixels.
    Declare& picture(PictureSpec s = {}) { return m_kind.pictures.push_back(std::move(s)), *this; }
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
    Declare& tells(base::Result<ObjectTable> (*fn)(const P&, const RunInput&))
    {
        m_kind.tell = [fn](const std::any& p, const RunInput& in) { return fn(std::any_cast<const P&>(p), in); };
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
        ParamSpec s{w.key, w.label, w.help, u, std::move(d), {}, primary, {}, {}, {}, {}};
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
