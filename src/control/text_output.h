// text_output.h - items as lines of text: to a peer over TCP, to all who connect here, or over a serial line.
//
// Promise  Lines go out in order. Who is not there gets nothing: what could not be sent is a failure of that item, said
//          once until it works again; a lost peer is tried again with the next item (at most once a second).
#pragma once
#include "control/message.h"
#include "station/outputs.h"

#include <memory>

namespace control
{

class TextOutput : public station::Output
{
public:
    explicit TextOutput(recipe::Outlet outlet);
    ~TextOutput() override;
    std::string name() const override { return m_outlet.name; }
    void begin() override; // listens at once, so that others can connect before the first item
    base::Status tell(const station::Logged& item) override;
    void end() override;

private:
    struct Wire;
    base::Status send(const std::string& line);
    recipe::Outlet m_outlet;
    std::unique_ptr<Wire> m_wire; // lives on the telling thread
    // The pattern read against the recipe of the last item.
    std::shared_ptr<const records::Release> m_readFor;
    base::Result<Message> m_message = Message{};
};

} // namespace control
