#include "recipe/outlet.h"

#include "recipe/recipe_json.h"

namespace recipe
{
using nlohmann::json;

const char* name(Outlet::Kind kind)
{
    constexpr const char* names[] = {"text", "mqtt", "modbus"};
    return names[std::size_t(kind)];
}

namespace
{
constexpr const char* kValues[] = {"float32", "int16", "int32"};
constexpr const char* kWays[] = {"connect", "listen", "serial"};
} // namespace

json outletToJson(const Outlet& o)
{
    json j{{"kind", name(o.kind)}, {"name", o.name}};
    if (!o.inUse) j["in_use"] = false;
    switch (o.kind) {
    case Outlet::Kind::Text: {
        const TextOutlet& t = o.text;
        j["way"] = kWays[std::size_t(t.way)];
        if (t.way == TextOutlet::Way::Serial) j["device"] = t.device, j["baud"] = t.baud;
        else j["host"] = t.host, j["port"] = t.port;
        j["pattern"] = t.pattern;
        break;
    }
    case Outlet::Kind::Broker: {
        const BrokerOutlet& b = o.broker;
        j["host"] = b.host, j["port"] = b.port, j["topic"] = b.topic;
        if (!b.user.empty()) j["user"] = b.user;
        if (!b.passwordFile.empty()) j["password_file"] = b.passwordFile;
        if (!b.authority.empty()) j["authority"] = b.authority;
        break;
    }
    case Outlet::Kind::Registers: {
        const RegisterOutlet& r = o.registers;
        j["host"] = r.host, j["port"] = r.port, j["unit"] = r.unit, j["elements"] = r.elements;
        if (r.values != RegisterOutlet::Values::Float32)
            j["values"] = kValues[std::size_t(r.values)], j["scale"] = r.scale;
        if (r.lowWordFirst) j["low_word_first"] = true;
        if (r.handshake) j["handshake"] = true;
        break;
    }
    }
    return j;
}

base::Result<Outlet> outletFromJson(const json& j, const std::string& where)
{
    ObjectReader o(j, where);
    Outlet out;
    std::string kind, way = "connect";
    o.text("kind", kind, true), o.text("name", out.name, true), o.flag("in_use", out.inUse);
    if (kind == "text") {
        TextOutlet& t = out.text;
        o.text("way", way);
        bool known = false;
        for (std::size_t i = 0; i < 3; ++i)
            if (way == kWays[i]) t.way = TextOutlet::Way(i), known = true;
        if (!known) o.wrong("way = \"" + way + "\" is not one of connect, listen, serial");
        const bool serial = t.way == TextOutlet::Way::Serial;
        o.text("device", t.device, serial);
        o.whole("baud", t.baud, 50, 4000000);
        o.text("host", t.host);
        o.whole("port", t.port, 1, 65535, !serial);
        o.text("pattern", t.pattern, true);
    } else if (kind == "mqtt") {
        out.kind = Outlet::Kind::Broker;
        BrokerOutlet& b = out.broker;
        o.text("host", b.host), o.whole("port", b.port, 1, 65535), o.text("topic", b.topic), o.text("user", b.user);
        o.text("password_file", b.passwordFile), o.text("authority", b.authority);
        if (b.topic.empty() || b.topic.find_first_of("#+") != std::string::npos)
            o.wrong("topic must not be empty nor hold # or +");
    } else if (kind == "modbus") {
        out.kind = Outlet::Kind::Registers;
        RegisterOutlet& r = out.registers;
        o.text("host", r.host), o.whole("port", r.port, 1, 65535), o.whole("unit", r.unit, 1, 247);
        o.whole("elements", r.elements, 0, 200);
        std::string values = kValues[0];
        o.text("values", values), o.number("scale", r.scale, 1e-6, 1e9);
        bool known = false;
        for (std::size_t i = 0; i < 3; ++i)
            if (values == kValues[i]) r.values = RegisterOutlet::Values(i), known = true;
        if (!known) o.wrong("values = \"" + values + "\" is not one of float32, int16, int32");
        o.flag("low_word_first", r.lowWordFirst), o.flag("handshake", r.handshake);
    } else if (!kind.empty()) {
        o.wrong("kind = \"" + kind + "\" is not one of text, mqtt, modbus");
    }
    if (auto ok = o.done(); !ok) return base::passOn(ok.error());
    return out;
}

} // namespace recipe
