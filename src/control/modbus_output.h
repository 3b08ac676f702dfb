// modbus_output.h - items as a table of registers that others read over Modbus TCP, and bits they write: trigger,
// acknowledge, recipe by number.
//
// Source   MODBUS Application Protocol V1.1b3; the table itself is ours: registerTable().
// Promise  The registers of one item are put there together, then `done` rises; nobody reads half an item. With a
//          handshake the next item waits until `acknowledge` was written, so that none is passed over; without one the
//          newest item stands there. A trigger while `busy` is refused and counted.
#pragma once
#include "recipe/outlet.h"
#include "station/outputs.h"

#include <QObject>
#include <QThread>
#include <atomic>
#include <map>

namespace control
{

// One address and what it means, for the other side's engineer.
struct Register {
    enum class Area { Coil, DiscreteInput, InputRegister, HoldingRegister } area = Area::InputRegister;
    int address = 0; // from 0
    int words = 1;
    std::string type;    // "bit", "uint16", "uint32", "float32"
    std::string name;    // "verdict", "Width", "Slot size [3]"
    std::string meaning; // unit, codes
};
const char* name(Register::Area area);
std::vector<Register> registerTable(const recipe::Recipe& recipe, const recipe::RegisterOutlet& outlet);
// The same for people and programs on the other side.
std::string tableAsCsv(const std::vector<Register>& table);
std::string tableAsMarkdown(const std::vector<Register>& table);
// What stands in the bits and words of one item, by address.
struct RegisterValues {
    std::map<int, bool> bits;
    std::map<int, std::uint16_t> words;
};
RegisterValues valuesOf(const station::Logged& logged, std::size_t item, const recipe::RegisterOutlet& outlet);
// Of one line of the table, for people; "" when nothing stands there.
std::string valueText(const Register& entry, const RegisterValues& values, const recipe::RegisterOutlet& outlet);

class ModbusOutput : public station::Output
{
public:
    // What the other side may ask for; called on the server's thread. `choose` says why it refuses.
    struct Commands {
        std::function<void()> trigger;
        std::function<base::Status(int number)> choose;
    };
    ModbusOutput(recipe::Outlet outlet, Commands commands);
    ~ModbusOutput() override;
    std::string name() const override { return m_outlet.name; }
    void begin() override;
    base::Status tell(const station::Logged& item) override;
    void end() override;
    void ending() override { m_ending = true; }

private:
    class Server;
    recipe::Outlet m_outlet;
    Commands m_commands;
    QThread m_thread;                 // the server's, with its event loop
    std::unique_ptr<QObject> m_there; // lives on it
    std::unique_ptr<Server> m_server;
    std::string m_trouble;
    std::atomic<bool> m_ending{false};
};

} // namespace control
