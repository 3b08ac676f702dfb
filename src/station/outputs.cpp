#include "station/outputs.h"

#include <ostream>

namespace station
{

base::Status LampOutput::tell(const Logged& item)
{
    const inspect::PictureResult& r = item.result();
    if (r.error) m_out << r.picture << ": error  " << *r.error << (item.unsaved ? "  NOT saved\n" : "\n");
    for (const auto& i : r.items) {
        m_out << r.picture << (r.items.size() > 1 ? " item " + std::to_string(i.number) : "") << ": "
              << inspect::name(i.outcome);
        if (!i.accepted()) m_out << "  " << i.sentence();
        if (item.unsaved) m_out << "  NOT saved";
        m_out << "\n";
    }
    m_out.flush();
    if (!m_out) return base::fail(base::ErrorCode::Io, "the lamp's text cannot be written");
    return {};
}

Teller::Teller(std::unique_ptr<Output> output, Trouble trouble)
    : m_output(std::move(output)), m_name(m_output->name()), m_trouble(std::move(trouble))
{
    m_thread = std::jthread([this] {
        bool dead = false;
        m_output->begin();
        while (const auto item = m_queue.pop()) {
            const auto ok = m_output->tell(*item);
            if (ok.has_value() == dead)
                m_trouble(m_output->name(), ok ? "" : ok.error().text()); // said once, until it works again
            dead = !ok;
        }
        m_output->end();
    });
}

Teller::~Teller()
{
    m_queue.close();
    m_output->ending();
    m_thread.join(); // before the output goes
}

void Teller::tell(const Logged& item)
{
    const bool taken = m_queue.offer(item);
    if (!taken) ++m_lost;
    if (taken == m_behind) m_trouble(m_name + kQueue, taken ? "" : "is full: what it cannot be told is counted");
    m_behind = !taken;
}

} // namespace station
