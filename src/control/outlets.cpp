#include "control/outlets.h"

#include "control/mqtt_output.h"
#include "control/text_output.h"

namespace control
{
using recipe::Outlet;

std::vector<std::unique_ptr<station::Output>> outputsOf(const recipe::Recipe& recipe, ModbusOutput::Commands commands)
{
    std::vector<std::unique_ptr<station::Output>> out;
    for (const Outlet& o : recipe.outlets) {
        if (!o.inUse) continue;
        switch (o.kind) {
        case Outlet::Kind::Text: out.push_back(std::make_unique<TextOutput>(o)); break;
        case Outlet::Kind::Broker: out.push_back(std::make_unique<MqttOutput>(o)); break;
        case Outlet::Kind::Registers: out.push_back(std::make_unique<ModbusOutput>(o, commands)); break;
        }
    }
    return out;
}

base::Status checkOutlets(const recipe::Recipe& recipe)
{
    for (const Outlet& o : recipe.outlets)
        if (o.kind == Outlet::Kind::Text)
            if (auto ok = Message::parse(o.text.pattern, recipe); !ok)
                return base::passOn(ok.error(), "outputs \"" + o.name + "\": pattern");
    return {};
}

} // namespace control
