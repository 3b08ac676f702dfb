// outputs.h - what is told to the world of each item after it was logged: lamps, controllers. Each has a queue and a
// thread of its own; one that is slow or dead holds nobody up, what it could not be told in time is counted.
#pragma once
#include "station/line.h"
#include "station/queue.h"

#include <iosfwd>
#include <thread>

namespace station
{

class Output
{
public:
    virtual ~Output() = default;
    virtual std::string name() const = 0;
    // All on a thread of its own, begin() first and end() last.
    virtual void begin() {}
    virtual base::Status tell(const Logged& item) = 0;
    virtual void end() {}
    virtual void ending() {} // from another thread: what waits for somebody else waits no longer
};

// A lamp written as text: one line an item, "accept plate-003.png".
class LampOutput : public Output
{
public:
    explicit LampOutput(std::ostream& out) : m_out(out) {}
    std::string name() const override { return "lamp"; }
    base::Status tell(const Logged& item) override;

private:
    std::ostream& m_out;
};

// Tells one output, item by item in order.
class Teller
{
public:
    // An empty message: what was said before is over.
    using Trouble = std::function<void(const std::string& what, const std::string& message)>;
    Teller(std::unique_ptr<Output> output, Trouble trouble);
    ~Teller(); // tells what waits, then ends
    void tell(const Logged& item);
    std::uint64_t lost() const { return m_lost; }
    const std::string& name() const { return m_name; }
    static constexpr const char* kQueue = ", its queue"; // behind the name: in trouble when it is full

private:
    std::unique_ptr<Output> m_output;
    const std::string m_name;
    Trouble m_trouble;
    Queue<Logged> m_queue{256};
    std::atomic<std::uint64_t> m_lost{0};
    bool m_behind = false; // on the telling thread only
    std::jthread m_thread;
};

} // namespace station
