#include "control/text_output.h"

#include <QElapsedTimer>
#include <QHostAddress>
#include <QSerialPort>
#include <QTcpServer>
#include <QTcpSocket>
#include <list>

namespace control
{
using recipe::TextOutlet;

namespace
{
constexpr int kPatience = 500; // ms for a connection, and for a line to leave
}

struct TextOutput::Wire {
    std::unique_ptr<QTcpSocket> peer;
    std::unique_ptr<QTcpServer> server;
    std::list<std::unique_ptr<QTcpSocket>> guests;
    std::unique_ptr<QSerialPort> serial;
    QElapsedTimer tried;
    std::string trouble; // of the server or the port
};

TextOutput::TextOutput(recipe::Outlet outlet) : m_outlet(std::move(outlet)) {}
TextOutput::~TextOutput() = default;

void TextOutput::begin()
{
    m_wire = std::make_unique<Wire>();
    const TextOutlet& t = m_outlet.text;
    if (t.way != TextOutlet::Way::Listen) return;
    m_wire->server = std::make_unique<QTcpServer>();
    if (!m_wire->server->listen(QHostAddress(QString::fromStdString(t.host)), quint16(t.port)))
        m_wire->trouble = "cannot listen on " + t.host + ":" + std::to_string(t.port) + ": " +
                          m_wire->server->errorString().toStdString();
}

void TextOutput::end() { m_wire.reset(); }

base::Status TextOutput::tell(const station::Logged& item)
{
    const auto& release = item.line().release;
    if (m_readFor != release) m_message = Message::parse(m_outlet.text.pattern, release->recipe()), m_readFor = release;
    if (!m_message) return base::passOn(m_message.error(), m_outlet.name);
    std::string lines;
    const std::size_t items = std::max<std::size_t>(1, item.result().items.size());
    for (std::size_t i = 0; i < items; ++i) lines += m_message->of(item, i);
    return send(lines);
}

base::Status TextOutput::send(const std::string& lines)
{
    const TextOutlet& t = m_outlet.text;
    const auto fault = [&](const std::string& what) { return base::fail(base::ErrorCode::Io, what, m_outlet.name); };
    const auto wait = [&] { return m_wire->tried.isValid() && m_wire->tried.elapsed() < 1000; };
    const auto written = [&](QIODevice& device) {
        if (device.write(lines.data(), qint64(lines.size())) != qint64(lines.size())) return false;
        while (device.bytesToWrite() > 0)
            if (!device.waitForBytesWritten(kPatience)) return false;
        return true;
    };
    switch (t.way) {
    case TextOutlet::Way::Connect: {
        auto& peer = m_wire->peer;
        // A peer that went away is seen only when it is asked.
        if (peer && (peer->waitForReadyRead(0), peer->state() != QAbstractSocket::ConnectedState)) peer.reset();
        if (peer) (void)peer->readAll(); // nothing is expected from it
        if (!peer) {
            if (wait()) return fault("nobody answers on " + t.host + ":" + std::to_string(t.port));
            m_wire->tried.start();
            peer = std::make_unique<QTcpSocket>();
            peer->connectToHost(QString::fromStdString(t.host), quint16(t.port));
            if (!peer->waitForConnected(kPatience)) {
                const std::string why = peer->errorString().toStdString();
                peer.reset();
                return fault("cannot connect to " + t.host + ":" + std::to_string(t.port) + ": " + why);
            }
            m_wire->tried.invalidate();
        }
        if (written(*peer)) return {};
        peer.reset();
        return fault("the peer does not take the text");
    }
    case TextOutlet::Way::Listen: {
        if (!m_wire->server->isListening()) return fault(m_wire->trouble);
        (void)m_wire->server->waitForNewConnection(0); // all who came meanwhile
        while (auto* guest = m_wire->server->nextPendingConnection()) {
            guest->setParent(nullptr);
            m_wire->guests.emplace_back(guest);
        }
        m_wire->guests.remove_if([&](auto& guest) {
            guest->waitForReadyRead(0);
            (void)guest->readAll();
            return guest->state() != QAbstractSocket::ConnectedState || !written(*guest);
        });
        return m_wire->guests.empty() ? fault("nobody listens on port " + std::to_string(t.port)) : base::Status{};
    }
    case TextOutlet::Way::Serial: {
        auto& port = m_wire->serial;
        if (!port) {
            if (wait()) return fault(m_wire->trouble);
            m_wire->tried.start();
            port = std::make_unique<QSerialPort>(QString::fromStdString(t.device));
            port->setBaudRate(t.baud);
            if (!port->open(QIODevice::ReadWrite)) {
                m_wire->trouble = "cannot open " + t.device + ": " + port->errorString().toStdString();
                port.reset();
                return fault(m_wire->trouble);
            }
            m_wire->tried.invalidate();
        }
        if (written(*port)) return {};
        port.reset();
        return fault("the serial line does not take the text");
    }
    }
    return {};
}

} // namespace control
