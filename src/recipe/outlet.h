// outlet.h - whom the line tells of every item: a controller, a broker, a peer that reads text. Part of the recipe, so
// that what is sent changes with what is inspected.
#pragma once
#include "base/result.h"

#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

namespace recipe
{

// A line of text for each item; placeholders as in control/message.h.
struct TextOutlet {
    enum class Way { Connect, Listen, Serial } way = Way::Connect;
    std::string host = "127.0.0.1"; // Listen: the address of this machine it listens on
    int port = 4100;
    std::string device; // of a serial line
    int baud = 9600;
    std::string pattern = "{number} {verdict}\\r\\n";
    friend bool operator==(const TextOutlet&, const TextOutlet&) = default;
};
// One JSON message for each item, as docs/guide/controllers.md says.
struct BrokerOutlet {
    std::string host = "127.0.0.1";
    int port = 1883;
    std::string topic = "dikkat";
    std::string user;
    std::string passwordFile; // the password stands in a file of its own, never in the recipe
    std::string authority;    // PEM file that vouches for the broker; empty: no TLS
    friend bool operator==(const BrokerOutlet&, const BrokerOutlet&) = default;
};
// A table of registers others read over Modbus TCP.
struct RegisterOutlet {
    std::string host = "127.0.0.1";
    int port = 502;
    int unit = 1;
    bool lowWordFirst = false; // of values of two registers
    int elements = 16;         // of a list so many have registers
    // Values as float32, or as whole numbers: value × scale, rounded; what is not measured is the least of them.
    enum class Values { Float32, Int16, Int32 } values = Values::Float32;
    double scale = 1000;
    bool handshake = false; // the next item is shown when the last one was acknowledged
    friend bool operator==(const RegisterOutlet&, const RegisterOutlet&) = default;
};
struct Outlet {
    enum class Kind { Text, Broker, Registers } kind = Kind::Text;
    std::string name;
    bool inUse = true;
    TextOutlet text;
    BrokerOutlet broker;
    RegisterOutlet registers;
    friend bool operator==(const Outlet&, const Outlet&) = default;
};
const char* name(Outlet::Kind kind); // "text", "mqtt", "modbus"

nlohmann::json outletToJson(const Outlet& outlet);
// Fails with InvalidArgument or OutOfRange naming field and bound.
base::Result<Outlet> outletFromJson(const nlohmann::json& json, const std::string& where);

} // namespace recipe
