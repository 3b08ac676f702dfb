#include "control/modbus_output.h"

#include "recipe/robot.h"

#include <QModbusTcpServer>
#include <QTcpSocket>
#include <QTimer>
#include <QUrl>
#include <QVariant>
#include <algorithm>
#include <bit>
#include <cmath>
#include <condition_variable>

namespace control
{
using inspect::Verdict;
using Area = Register::Area;

namespace
{
// ---- addresses, from 0
enum Bit { kReady, kBusy, kDone, kAccept, kReject, kUnjudged, kUnreadable, kHeartbeat, kRefused, kFirstCheckBit = 16 };
enum Command { kTrigger, kAcknowledge, kCoils = 16 };
enum Word {
    kNumber, // two
    kVerdict = 2,
    kFailed,
    kFirstFailed,
    kLastFailed,
    kItems,
    kItem,
    kRevision,
    kRecipe,
    kBeats,
    kRefusals,
    kRecipeFault,
    kPlace = 20, // x, y and angle, two words apart
    kFirstValue = 100
};
enum Holding { kShownItem, kWantedRecipe, kHoldings = 16 };

int elementsOf(const recipe::Step& step, const recipe::Check& check, const recipe::RegisterOutlet& outlet)
{
    const recipe::StepKind* kind = recipe::findKind(step.kind);
    const auto* spec = kind ? kind->output(check.output) : nullptr;
    return spec && spec->list ? outlet.elements : 0;
}
int wordsOf(const recipe::RegisterOutlet& outlet) // of a value
{
    return outlet.values == recipe::RegisterOutlet::Values::Int16 ? 1 : 2;
}
// How many elements of a list fail; the first and the last of them, by number and by value.
int failedWords(const recipe::RegisterOutlet& outlet) { return 3 + 2 * wordsOf(outlet); }
// The checks that have registers, in the recipe's order.
template <class Call> void eachCheck(const recipe::Recipe& recipe, const recipe::RegisterOutlet& outlet, Call call)
{
    int address = kFirstValue, bit = kFirstCheckBit;
    for (const recipe::Step& s : recipe.steps)
        for (const recipe::Check& c : s.checks) {
            const int elements = elementsOf(s, c, outlet);
            call(s, c, address, bit, elements);
            address += wordsOf(outlet) + (elements ? 1 + wordsOf(outlet) * elements + failedWords(outlet) : 0);
            bit += 2;
        }
}
} // namespace

const char* name(Area area)
{
    constexpr const char* names[] = {"coil", "discrete input", "input register", "holding register"};
    return names[std::size_t(area)];
}

std::vector<Register> registerTable(const recipe::Recipe& recipe, const recipe::RegisterOutlet& outlet)
{
    std::vector<Register> t;
    const auto bit = [&](Area area, int at, const char* what, const char* meaning) {
        t.push_back({area, at, 1, "bit", what, meaning});
    };
    bit(Area::Coil, kTrigger, "trigger", "write 1: takes one item; falls back to 0 by itself");
    bit(Area::Coil, kAcknowledge, "acknowledge", "write 1: the item was read; done falls, then this one");
    bit(Area::DiscreteInput, kReady, "ready", "a trigger is taken now");
    bit(Area::DiscreteInput, kBusy, "busy", "an item is under way");
    bit(Area::DiscreteInput, kDone, "done", "all registers are of one item; falls with acknowledge");
    bit(Area::DiscreteInput, kAccept, "accept", "");
    bit(Area::DiscreteInput, kReject, "reject", "");
    bit(Area::DiscreteInput, kUnjudged, "unjudged", "nothing was judged");
    bit(Area::DiscreteInput, kUnreadable, "unreadable", "the picture could not be read; no value stands here");
    bit(Area::DiscreteInput, kHeartbeat, "heartbeat", "changes twice a second");
    bit(Area::DiscreteInput, kRefused, "refused", "the last trigger or recipe was not taken");
    const auto word = [&](int at, int words, const char* type, const char* what, const std::string& meaning) {
        t.push_back({Area::InputRegister, at, words, type, what, meaning});
    };
    word(kNumber, 2, "uint32", "number", "of the trigger, from 1");
    word(kVerdict, 1, "uint16", "verdict", "0 none yet, 1 accept, 2 reject, 3 unjudged, 4 unreadable");
    word(kFailed, 1, "uint16", "failed", "checks that fail");
    word(kFirstFailed, 1, "uint16", "first failed", "its balloon, 0 none");
    word(kLastFailed, 1, "uint16", "last failed", "its balloon, 0 none");
    word(kItems, 1, "uint16", "items", "in the picture");
    word(kItem, 1, "uint16", "item", "shown here, from 1; 0: none was found");
    word(kRevision, 1, "uint16", "revision", "of the recipe");
    word(kRecipe, 1, "uint16", "recipe", "number of the one on the line, 0: not chosen by number");
    word(kBeats, 1, "uint16", "beats", "counts on, twice a second");
    word(kRefusals, 1, "uint16", "refusals", "triggers that came while busy or not acknowledged");
    word(kRecipeFault, 1, "uint16", "recipe fault", "1: the recipe asked for last cannot be used");
    const bool real = outlet.values == recipe::RegisterOutlet::Values::Float32;
    const int words = wordsOf(outlet);
    const std::string type = real         ? "float32"
                             : words == 1 ? "int16"
                                          : "int32",
                      times = real ? "" : " × " + base::shortest(outlet.scale),
                      none = real         ? "NaN"
                             : words == 1 ? "-32768"
                                          : "-2147483648";
    if (const char* axes[] = {"place x", "place y", "place angle"}; true)
        for (int i = 0; i < 3; ++i)
            t.push_back({Area::InputRegister, kPlace + 2 * i, words, type, axes[i],
                         (i == 2                        ? "°"
                          : !recipe.robot.pairs.empty() ? "mm of the robot"
                          : recipe.calibrated()         ? "mm"
                                                        : "px") +
                             times + "; " + none + ": no item"});
    eachCheck(recipe, outlet, [&](const recipe::Step& s, const recipe::Check& c, int address, int bits, int elements) {
        const auto* spec = recipe::findKind(s.kind)->output(c.output);
        const std::string unit = (spec ? base::symbol(recipe.unitOf(s, *spec)) : "") + times;
        t.push_back({Area::DiscreteInput, bits, 1, "bit", c.name, "fails"});
        t.push_back({Area::DiscreteInput, bits + 1, 1, "bit", c.name, "measured"});
        t.push_back({Area::InputRegister, address, words, type, c.name,
                     (elements ? "of the list the element farthest from its nominal; " : "") +
                         (unit.empty() ? "" : unit + "; ") + none + ": not measured"});
        if (!elements) return;
        t.push_back({Area::InputRegister, address + words, 1, "uint16", c.name, "number of elements measured"});
        for (int e = 0; e < elements; ++e)
            t.push_back({Area::InputRegister, address + words + 1 + words * e, words, type,
                         c.name + " [" + std::to_string(e + 1) + "]",
                         unit + (unit.empty() ? "" : "; ") + none + ": missing"});
        int at = address + words + 1 + words * elements;
        t.push_back({Area::InputRegister, at++, 1, "uint16", c.name + " failed", "number of elements that fail"});
        for (const char* which : {" first failed", " last failed"}) {
            t.push_back({Area::InputRegister, at++, 1, "uint16", c.name + which, "its number, 0 none"});
            t.push_back({Area::InputRegister, at, words, type, c.name + which,
                         unit + (unit.empty() ? "" : "; ") + none + ": none, or it is missing"});
            at += words;
        }
    });
    t.push_back(
        {Area::HoldingRegister, kShownItem, 1, "uint16", "shown item", "write 1 .. items: its values stand here"});
    t.push_back({Area::HoldingRegister, kWantedRecipe, 1, "uint16", "wanted recipe",
                 "write its number: from the next item on"});
    return t;
}

std::string tableAsCsv(const std::vector<Register>& table)
{
    std::string out = "area,address,words,type,name,meaning\n";
    const auto quoted = [](std::string s) {
        for (std::size_t i = 0; (i = s.find('"', i)) != std::string::npos; i += 2) s.insert(i, 1, '"');
        return '"' + s + '"';
    };
    for (const Register& r : table)
        out += std::string(name(r.area)) + "," + std::to_string(r.address) + "," + std::to_string(r.words) + "," +
               r.type + "," + quoted(r.name) + "," + quoted(r.meaning) + "\n";
    return out;
}

std::string tableAsMarkdown(const std::vector<Register>& table)
{
    std::string out = "| area | address | words | type | name | meaning |\n|---|---|---|---|---|---|\n";
    for (const Register& r : table)
        out += std::string("| ") + name(r.area) + " | " + std::to_string(r.address) + " | " + std::to_string(r.words) +
               " | " + r.type + " | " + r.name + " | " + r.meaning + " |\n";
    return out;
}

namespace
{
class Filling
{
public:
    Filling(RegisterValues& values, const recipe::RegisterOutlet& outlet) : m_values(values), m_outlet(outlet) {}
    void bit(int at, bool on) { m_values.bits[at] = on; }
    void word(int at, std::size_t value) { m_values.words[at] = std::uint16_t(value); }
    void two(int at, std::uint32_t value)
    {
        word(at + (m_outlet.lowWordFirst ? 1 : 0), value >> 16);
        word(at + (m_outlet.lowWordFirst ? 0 : 1), value & 0xffff);
    }
    void real(int at, double value)
    {
        using Values = recipe::RegisterOutlet::Values;
        if (m_outlet.values == Values::Float32) return two(at, std::bit_cast<std::uint32_t>(float(value)));
        const bool small = m_outlet.values == Values::Int16;
        const double least = small ? -32768.0 : -2147483648.0;
        // The least stands for what is not there, so that nothing measured is ever it.
        const double whole =
            std::isnan(value) ? least : std::clamp(std::round(value * m_outlet.scale), least + 1, -least - 1);
        if (small) word(at, std::uint16_t(std::int16_t(whole)));
        else two(at, std::uint32_t(std::int32_t(whole)));
    }
    void check(const inspect::CheckResult* c, int address, int bits, int elements)
    {
        const double nothing = std::nan("");
        bit(bits, c && c->verdict == Verdict::Fail);
        bit(bits + 1, c && c->verdict != Verdict::NotMeasured && (c->list || !c->values.empty()));
        double value = c && !c->values.empty() ? c->values.front() : nothing, farthest = -1;
        for (std::size_t i = 0; c && i < c->elements.size(); ++i) {
            const auto& e = c->elements[i];
            if (e.value < 0 || !e.low || !e.high || *e.high <= *e.low) continue;
            const double v = c->values[std::size_t(e.value)],
                         off = std::abs(v - (*e.low + *e.high) / 2) / (*e.high - *e.low);
            if (off > farthest) farthest = off, value = v;
        }
        real(address, value);
        if (!elements) return;
        const int words = wordsOf(m_outlet);
        word(address + words, c ? c->values.size() : 0);
        for (int i = 0; i < elements; ++i) {
            double one = nothing;
            if (c && std::size_t(i) < c->elements.size()) {
                if (const int at = c->elements[std::size_t(i)].value; at >= 0) one = c->values[std::size_t(at)];
            } else if (c && c->elements.empty() && std::size_t(i) < c->values.size()) one = c->values[std::size_t(i)];
            real(address + words + 1 + words * i, one);
        }
        const std::vector<int> failed = c ? c->failed() : std::vector<int>();
        int at = address + words + 1 + words * elements;
        word(at++, failed.size());
        for (const bool last : {false, true}) {
            const int number = failed.empty() ? 0 : last ? failed.back() : failed.front();
            word(at++, std::size_t(number));
            const int of = number > 0 ? c->elements[std::size_t(number - 1)].value : -1;
            real(at, of >= 0 ? c->values[std::size_t(of)] : nothing);
            at += words;
        }
    }

private:
    RegisterValues& m_values;
    const recipe::RegisterOutlet& m_outlet;
};
} // namespace

RegisterValues valuesOf(const station::Logged& logged, std::size_t index, const recipe::RegisterOutlet& outlet)
{
    RegisterValues values;
    Filling fill(values, outlet);
    const inspect::PictureResult& r = logged.result();
    const bool there = !r.error && index < r.items.size();
    const inspect::ItemResult* item = there ? &r.items[index] : nullptr;
    const auto outcome = r.outcome();
    const std::size_t verdict = r.error                               ? 4
                                : outcome == inspect::Outcome::Accept ? 1
                                : outcome == inspect::Outcome::Reject ? 2
                                                                      : 3;
    fill.two(kNumber, std::uint32_t(logged.inspected.taken.number));
    fill.word(kVerdict, verdict);
    fill.bit(kAccept, verdict == 1), fill.bit(kReject, verdict == 2);
    fill.bit(kUnjudged, verdict == 3), fill.bit(kUnreadable, verdict == 4);
    fill.word(kItems, r.items.size()), fill.word(kItem, there ? index + 1 : 0);
    fill.word(kRevision, std::size_t(logged.line().release->revision));
    const recipe::Recipe& recipe = logged.line().release->recipe();
    recipe::RobotPose at{std::nan(""), std::nan(""), std::nan("")};
    if (item && item->pose) {
        const geometry::Point plane = recipe::planeOf(recipe, item->pose->origin);
        at = {plane.x, plane.y, geometry::degrees(geometry::wrapped(item->pose->angle))};
        if (const auto map = recipe::robotMap(recipe)) at = recipe::robotPose(recipe, *map, *item->pose);
    }
    fill.real(kPlace, at.x), fill.real(kPlace + 2, at.y), fill.real(kPlace + 4, at.angle);
    std::vector<int> failed;
    if (item)
        for (const auto& c : item->checks)
            if (c.verdict == Verdict::Fail) failed.push_back(c.balloon);
    fill.word(kFailed, failed.size());
    fill.word(kFirstFailed, failed.empty() ? 0 : std::size_t(failed.front()));
    fill.word(kLastFailed, failed.empty() ? 0 : std::size_t(failed.back()));
    eachCheck(recipe, outlet, [&](const recipe::Step& s, const recipe::Check& c, int address, int bits, int elements) {
        fill.check(item ? item->check(s.id, c.output) : nullptr, address, bits, elements);
    });
    return values;
}

std::string valueText(const Register& entry, const RegisterValues& values, const recipe::RegisterOutlet& outlet)
{
    if (entry.area == Area::DiscreteInput) {
        const auto bit = values.bits.find(entry.address);
        return bit == values.bits.end() ? "" : bit->second ? "1" : "0";
    }
    if (entry.area != Area::InputRegister) return "";
    const auto first = values.words.find(entry.address), second = values.words.find(entry.address + 1);
    if (first == values.words.end()) return "";
    if (entry.type == "int16") return std::to_string(std::int16_t(first->second));
    if (entry.words == 1) return std::to_string(first->second);
    if (second == values.words.end()) return "";
    const std::uint32_t high = outlet.lowWordFirst ? second->second : first->second,
                        low = outlet.lowWordFirst ? first->second : second->second, whole = high << 16 | low;
    if (entry.type == "uint32") return std::to_string(whole);
    if (entry.type == "int32") return std::to_string(std::int32_t(whole));
    const float value = std::bit_cast<float>(whole);
    return std::isnan(value) ? "NaN" : base::toText(value, 4);
}

class ModbusOutput::Server : public QObject
{
public:
    Server(const recipe::Outlet& outlet, const Commands& commands) : m_outlet(outlet), m_commands(commands) {}
    // All on the server's thread.
    std::string listen()
    {
        m_modbus = new QModbusTcpServer(this);
        m_modbus->setConnectionParameter(QModbusDevice::NetworkAddressParameter,
                                         QString::fromStdString(m_outlet.registers.host));
        m_modbus->setConnectionParameter(QModbusDevice::NetworkPortParameter, m_outlet.registers.port);
        m_modbus->setServerAddress(m_outlet.registers.unit);
        layOut(kFirstCheckBit, kFirstValue);
        connect(m_modbus, &QModbusServer::dataWritten, this,
                [this](QModbusDataUnit::RegisterType area, int address, int size) {
                    for (int i = 0; i < size; ++i) written(area, address + i);
                });
        if (!m_modbus->connectDevice())
            return "cannot listen on " + m_outlet.registers.host + ":" + std::to_string(m_outlet.registers.port) +
                   ": " + m_modbus->errorString().toStdString();
        auto* beat = new QTimer(this);
        connect(beat, &QTimer::timeout, this, [this] {
            bit(kHeartbeat, ++m_beats & 1);
            word(kBeats, quint16(m_beats));
        });
        beat->start(500);
        ready();
        return {};
    }
    void show(std::shared_ptr<const station::Logged> logged)
    {
        const recipe::Recipe& r = logged->line().release->recipe();
        int bits = kFirstCheckBit, words = kFirstValue;
        eachCheck(r, m_outlet.registers, [&](const auto&, const auto&, int address, int at, int elements) {
            const int w = wordsOf(m_outlet.registers);
            bits = at + 2, words = address + w + (elements ? 1 + w * elements : 0);
        });
        layOut(bits, words);
        m_shown = std::move(logged);
        showItem(0);
        bit(kBusy, false);
        bit(kDone, true);
        ready();
    }
    // With a handshake: the one before was acknowledged.
    bool free() const { return !m_outlet.registers.handshake || !bitNow(kDone); }
    void whenFree(std::function<void()> call) { m_whenFree = std::move(call); }

private:
    void layOut(int bits, int words)
    {
        if (bits <= m_bits && words <= m_words) return;
        m_bits = std::max(bits, m_bits), m_words = std::max(words, m_words);
        QModbusDataUnitMap map;
        map.insert(QModbusDataUnit::Coils, {QModbusDataUnit::Coils, 0, quint16(kCoils)});
        map.insert(QModbusDataUnit::DiscreteInputs, {QModbusDataUnit::DiscreteInputs, 0, quint16(m_bits)});
        map.insert(QModbusDataUnit::InputRegisters, {QModbusDataUnit::InputRegisters, 0, quint16(m_words)});
        map.insert(QModbusDataUnit::HoldingRegisters, {QModbusDataUnit::HoldingRegisters, 0, quint16(kHoldings)});
        m_modbus->setMap(map);
    }
    void bit(int at, bool on) { m_modbus->setData(QModbusDataUnit::DiscreteInputs, quint16(at), quint16(on)); }
    bool bitNow(int at) const
    {
        quint16 now = 0;
        m_modbus->data(QModbusDataUnit::DiscreteInputs, quint16(at), &now);
        return now != 0;
    }
    void word(int at, quint16 value) { m_modbus->setData(QModbusDataUnit::InputRegisters, quint16(at), value); }
    void ready() { bit(kReady, !bitNow(kBusy) && free()); }

    void showItem(std::size_t index)
    {
        const RegisterValues values = valuesOf(*m_shown, index, m_outlet.registers);
        for (const auto& [at, on] : values.bits) bit(at, on);
        for (const auto& [at, value] : values.words) word(at, value);
    }

    void written(QModbusDataUnit::RegisterType area, int address)
    {
        quint16 value = 0;
        m_modbus->data(area, quint16(address), &value);
        if (area == QModbusDataUnit::Coils && value) coil(address);
        if (area != QModbusDataUnit::HoldingRegisters) return;
        if (address == kShownItem && m_shown && value >= 1 && value <= m_shown->result().items.size())
            showItem(std::size_t(value) - 1);
        if (address == kWantedRecipe && value > 0) {
            const auto ok = m_commands.choose
                                ? m_commands.choose(value)
                                : base::Status(base::fail(base::ErrorCode::NotFound, "no recipes by number"));
            word(kRecipeFault, ok ? 0 : 1), bit(kRefused, !ok);
            if (ok) word(kRecipe, value);
        }
    }
    void coil(int address)
    {
        if (address == kAcknowledge) {
            bit(kDone, false);
            // By itself, when the write was answered.
            QTimer::singleShot(0, this, [this] { m_modbus->setData(QModbusDataUnit::Coils, kAcknowledge, 0); });
            ready();
            if (const auto call = std::exchange(m_whenFree, nullptr)) call();
        }
        if (address != kTrigger) return;
        QTimer::singleShot(0, this, [this] { m_modbus->setData(QModbusDataUnit::Coils, kTrigger, 0); });
        const bool taken = bitNow(kReady) && m_commands.trigger;
        bit(kRefused, !taken);
        if (!taken) return word(kRefusals, quint16(++m_refusals));
        bit(kBusy, true);
        ready();
        m_commands.trigger();
    }

    const recipe::Outlet& m_outlet;
    const Commands& m_commands;
    QModbusTcpServer* m_modbus = nullptr;
    std::shared_ptr<const station::Logged> m_shown;
    std::function<void()> m_whenFree;
    int m_bits = 0, m_words = 0, m_beats = 0, m_refusals = 0;
};

ModbusOutput::ModbusOutput(recipe::Outlet outlet, Commands commands)
    : m_outlet(std::move(outlet)), m_commands(std::move(commands))
{
}
ModbusOutput::~ModbusOutput() { end(); }

void ModbusOutput::begin()
{
    m_server = std::make_unique<Server>(m_outlet, m_commands);
    m_there = std::make_unique<QObject>();
    m_there->moveToThread(&m_thread);
    m_server->moveToThread(&m_thread);
    m_thread.start();
    QMetaObject::invokeMethod(
        m_server.get(), [this] { m_trouble = m_server->listen(); }, Qt::BlockingQueuedConnection);
}

base::Status ModbusOutput::tell(const station::Logged& item)
{
    if (!m_trouble.empty()) return base::fail(base::ErrorCode::Io, m_trouble, m_outlet.name);
    auto shown = std::make_shared<station::Logged>(item);
    shown->letGoOfPicture();
    std::mutex mutex;
    std::condition_variable freed;
    bool put = false;
    QMetaObject::invokeMethod(
        m_server.get(),
        [&] {
            const auto show = [&] {
                m_server->show(shown);
                const std::lock_guard lock(mutex);
                put = true;
                freed.notify_all();
            };
            if (m_server->free()) show();
            else m_server->whenFree(show);
        },
        Qt::QueuedConnection);
    std::unique_lock lock(mutex);
    while (!freed.wait_for(lock, std::chrono::milliseconds(100), [&] { return put; }))
        if (m_ending) {
            // Nobody acknowledges any more: what would be shown is taken back, on the server's thread.
            lock.unlock();
            QMetaObject::invokeMethod(
                m_server.get(), [&] { m_server->whenFree(nullptr); }, Qt::BlockingQueuedConnection);
            lock.lock();
            if (!put) return base::fail(base::ErrorCode::Io, "the last item was not acknowledged", m_outlet.name);
        }
    return {};
}

void ModbusOutput::end()
{
    if (!m_server) return;
    // The server's sockets end on their own thread.
    QMetaObject::invokeMethod(
        m_server.get(), [this] { m_server.reset(); }, Qt::BlockingQueuedConnection);
    m_thread.quit();
    m_thread.wait();
}

} // namespace control
