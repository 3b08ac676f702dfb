#include "control/mqtt_output.h"

#include "recipe/robot.h"

#include "base/files.h"

#include <cmath>
#include <mosquitto.h>
#include <nlohmann/json.hpp>

namespace control
{
using nlohmann::json;

namespace
{
// Once in the program; ended with it.
void useLibrary()
{
    static const struct Library {
        Library() { mosquitto_lib_init(); }
        ~Library() { mosquitto_lib_cleanup(); }
    } library;
}
json number(double v) { return std::isfinite(v) ? json(v) : json(nullptr); }
} // namespace

std::string itemMessage(const station::Logged& logged, std::size_t at)
{
    const inspect::PictureResult& r = logged.result();
    const station::Line& line = logged.line();
    const recipe::Recipe& recipe = line.release->recipe();
    json j{
        {"number", logged.inspected.taken.number},
        {"time", logged.inspected.taken.at},
        {"picture", r.picture},
        {"recipe", {{"name", recipe.name}, {"revision", line.release->revision}, {"identity", line.release->identity}}},
        {"batch", line.batch},
        {"station", line.station},
        {"items", r.items.size()},
        {"saved", logged.saved}};
    if (at < logged.records.size()) j["record"] = logged.records[at];
    if (r.error || at >= r.items.size()) {
        j["verdict"] = r.error ? "error" : "unjudged";
        if (r.error) j["reason"] = *r.error;
        return j.dump(-1, ' ', false, json::error_handler_t::replace);
    }
    const inspect::ItemResult& item = r.items[at];
    j["item"] = item.number, j["verdict"] = inspect::name(item.outcome), j["word"] = item.word;
    if (!item.accepted()) j["reason"] = item.sentence();
    if (item.pose)
        j["pose"] = {{"x", number(item.pose->origin.x)},
                     {"y", number(item.pose->origin.y)},
                     {"angle", number(geometry::degrees(geometry::wrapped(item.pose->angle)))}};
    if (const auto map = recipe::robotMap(recipe); item.pose && map) {
        const recipe::RobotPose place = recipe::robotPose(recipe, *map, *item.pose);
        j["robot"] = {{"x", number(place.x)}, {"y", number(place.y)}, {"angle", number(place.angle)}};
    }
    json& checks = j["checks"] = json::array();
    for (const inspect::CheckResult& c : item.checks) {
        json one{{"name", c.name},
                 {"balloon", c.balloon},
                 {"verdict", inspect::name(c.verdict)},
                 {"unit", base::symbol(c.unit)}};
        if (c.list) {
            one["values"] = json::array();
            for (const double v : c.values) one["values"].push_back(number(v));
            one["failed"] = c.failed();
            if (c.missing) one["missing"] = c.missing;
            const auto element = [&](int which) {
                const auto& e = c.elements[std::size_t(which - 1)];
                return json{{"number", which},
                            {"name", e.name},
                            {"value", e.value >= 0 ? number(c.values[std::size_t(e.value)]) : json(nullptr)},
                            {"reason", e.reason}};
            };
            if (const auto failed = c.failed(); !failed.empty())
                one["first_failed"] = element(failed.front()), one["last_failed"] = element(failed.back());
        } else if (!c.values.empty()) one["value"] = number(c.values.front());
        if (!c.reason.empty()) one["reason"] = c.reason;
        checks.push_back(std::move(one));
    }
    return j.dump(-1, ' ', false, json::error_handler_t::replace);
}

MqttOutput::MqttOutput(recipe::Outlet outlet) : m_outlet(std::move(outlet)) {}
MqttOutput::~MqttOutput() { end(); }

void MqttOutput::begin()
{
    useLibrary();
    const recipe::BrokerOutlet& b = m_outlet.broker;
    m_client = mosquitto_new(nullptr, true, this);
    if (!m_client) {
        m_trouble = "no memory for the client";
        return;
    }
    mosquitto_connect_callback_set(
        m_client, [](mosquitto*, void* self, int code) { static_cast<MqttOutput*>(self)->connected(code); });
    mosquitto_publish_callback_set(
        m_client, [](mosquitto*, void* self, int id) { static_cast<MqttOutput*>(self)->acknowledged(id); });
    mosquitto_disconnect_callback_set(m_client, [](mosquitto*, void* self, int) {
        auto& me = *static_cast<MqttOutput*>(self);
        const std::lock_guard lock(me.m_mutex);
        // What is under way the library sends again when the broker is back.
        me.m_online = false;
        if (me.m_trouble.empty()) me.m_trouble = "the broker is away";
    });
    const std::string state = topic("state");
    mosquitto_will_set(m_client, state.c_str(), 7, "offline", 1, true);
    mosquitto_reconnect_delay_set(m_client, 1, 5, false);
    mosquitto_max_inflight_messages_set(m_client, 1); // in order
    std::string fault;
    if (!b.user.empty()) {
        std::string password;
        if (!b.passwordFile.empty()) {
            auto text = base::readFile(b.passwordFile, 4096);
            if (!text) fault = text.error().text();
            else password = text->substr(0, text->find_first_of("\r\n"));
        }
        mosquitto_username_pw_set(m_client, b.user.c_str(), password.empty() ? nullptr : password.c_str());
    }
    if (!b.authority.empty())
        if (const int code = mosquitto_tls_set(m_client, b.authority.c_str(), nullptr, nullptr, nullptr, nullptr);
            code != MOSQ_ERR_SUCCESS)
            fault = b.authority + ": " + mosquitto_strerror(code);
    if (fault.empty()) {
        m_trouble = "no broker on " + b.host + ":" + std::to_string(b.port) + " yet";
        // Once a broker was met the library comes back to it by itself; until then it is tried here.
        m_seeking = std::jthread([this](std::stop_token stop) {
            const recipe::BrokerOutlet& broker = m_outlet.broker;
            while (!stop.stop_requested()) {
                if (mosquitto_connect_async(m_client, broker.host.c_str(), broker.port, 10) == MOSQ_ERR_SUCCESS) {
                    mosquitto_loop_start(m_client);
                    return;
                }
                std::unique_lock lock(m_mutex);
                m_retry.wait_for(lock, stop, std::chrono::seconds(1), [] { return false; });
            }
        });
        return;
    }
    const std::lock_guard lock(m_mutex);
    m_trouble = fault;
}

void MqttOutput::connected(int code)
{
    const std::lock_guard lock(m_mutex);
    if (code != 0) { // refused: wrong user or password; it is tried again
        m_trouble = std::string("the broker refuses: ") + mosquitto_connack_string(code);
        return;
    }
    m_online = true, m_trouble.clear();
    const std::string state = topic("state");
    mosquitto_publish(m_client, nullptr, state.c_str(), 6, "online", 1, true);
    sendNext();
}

void MqttOutput::sendNext()
{
    if (!m_online || m_underWay || m_waiting.empty()) return;
    const std::string item = topic("item");
    const std::string& text = m_waiting.front();
    int id = 0;
    if (mosquitto_publish(m_client, &id, item.c_str(), int(text.size()), text.data(), 1, false) == MOSQ_ERR_SUCCESS)
        m_underWay = id;
}

void MqttOutput::acknowledged(int id)
{
    const std::lock_guard lock(m_mutex);
    if (id != m_underWay) return; // of the state, or of one that is sent again
    m_underWay = 0;
    if (!m_waiting.empty()) m_waiting.pop_front();
    if (m_waiting.empty()) m_empty.notify_all();
    sendNext();
}

base::Status MqttOutput::tell(const station::Logged& logged)
{
    const std::size_t items = std::max<std::size_t>(1, logged.result().items.size());
    const std::lock_guard lock(m_mutex);
    for (std::size_t i = 0; i < items; ++i) {
        if (m_waiting.size() >= kMostWaiting)
            return base::fail(base::ErrorCode::Io,
                              m_trouble + "; " + std::to_string(kMostWaiting) + " messages wait, this one is lost",
                              m_outlet.name);
        m_waiting.push_back(itemMessage(logged, i));
    }
    sendNext();
    if (!m_online) return base::fail(base::ErrorCode::Io, m_trouble + "; messages wait", m_outlet.name);
    return {};
}

std::size_t MqttOutput::waiting() const
{
    const std::lock_guard lock(m_mutex);
    return m_waiting.size();
}

void MqttOutput::end()
{
    if (!m_client) return;
    {
        std::unique_lock lock(m_mutex);
        if (m_online) m_empty.wait_for(lock, std::chrono::seconds(3), [&] { return m_waiting.empty() || !m_online; });
        if (m_online) {
            const std::string state = topic("state");
            mosquitto_publish(m_client, nullptr, state.c_str(), 7, "offline", 1, true);
        }
    }
    m_seeking = {};
    mosquitto_disconnect(m_client);
    mosquitto_loop_stop(m_client, false);
    mosquitto_destroy(m_client);
    m_client = nullptr;
}

} // namespace control
