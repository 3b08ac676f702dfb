// mqtt_output.h - items as JSON messages to an MQTT broker.
//
// Promise  One message an item under TOPIC/item, QoS 1, in order; TOPIC/state says "online", by the last will "offline",
//          retained. While the broker is away messages wait, at most `kMostWaiting`, and go out in order when it is back;
//          what finds no room is a failure of that item. A message counts as sent when the broker acknowledged it.
#pragma once
#include "recipe/outlet.h"
#include "station/outputs.h"

#include <condition_variable>
#include <deque>
#include <thread>

struct mosquitto;

namespace control
{

// What is sent of one item: docs/guide/controllers.md.
std::string itemMessage(const station::Logged& logged, std::size_t item);

class MqttOutput : public station::Output
{
public:
    static constexpr std::size_t kMostWaiting = 10000;
    explicit MqttOutput(recipe::Outlet outlet);
    ~MqttOutput() override;
    std::string name() const override { return m_outlet.name; }
    void begin() override;
    base::Status tell(const station::Logged& item) override;
    void end() override; // waits a moment for what is not acknowledged
    std::size_t waiting() const;

private:
    void connected(int code);
    void acknowledged(int id);
    void sendNext(); // under the mutex
    std::string topic(const char* leaf) const { return m_outlet.broker.topic + "/" + leaf; }

    const recipe::Outlet m_outlet;
    mosquitto* m_client = nullptr;
    mutable std::mutex m_mutex;
    std::condition_variable m_empty;
    std::deque<std::string> m_waiting; // the first one may be under way
    int m_underWay = 0;                // its id; 0: none
    bool m_online = false;
    std::string m_trouble;
    std::condition_variable_any m_retry;
    std::jthread m_seeking; // until a broker was met for the first time; last: it uses the others
};

} // namespace control
