#include "records/columns.h"

#include <algorithm>
#include <cstring>

namespace records
{
namespace
{
constexpr std::uint32_t kVersion = 1;

class Writer
{
public:
    template <class T> void raw(const T& v) { m_out.append(reinterpret_cast<const char*>(&v), qsizetype(sizeof v)); }
    template <class T> void all(const std::vector<T>& v)
    {
        raw(std::uint32_t(v.size()));
        m_out.append(reinterpret_cast<const char*>(v.data()), qsizetype(v.size() * sizeof(T)));
    }
    void text(const QByteArray& b)
    {
        raw(std::uint32_t(b.size()));
        m_out.append(b);
    }
    void text(const QString& s) { text(s.toUtf8()); }
    void number(const std::optional<double>& v)
    {
        raw(std::uint8_t(v.has_value()));
        raw(v.value_or(0));
    }
    QByteArray m_out;
};
// Says no once something is missing; then everything it gave is worth nothing.
class Reader
{
public:
    explicit Reader(const QByteArray& bytes) : m_at(bytes.constData()), m_left(std::size_t(bytes.size())) {}
    template <class T> T raw()
    {
        T v{};
        if (m_left < sizeof v) return ok = false, v;
        std::memcpy(&v, m_at, sizeof v);
        m_at += sizeof v, m_left -= sizeof v;
        return v;
    }
    template <class T> std::vector<T> all()
    {
        const std::size_t n = raw<std::uint32_t>();
        if (!ok || n > m_left / sizeof(T)) return ok = false, std::vector<T>();
        std::vector<T> v(n);
        if (n > 0) std::memcpy(static_cast<void*>(v.data()), m_at, n * sizeof(T));
        m_at += n * sizeof(T), m_left -= n * sizeof(T);
        return v;
    }
    QByteArray bytes()
    {
        const std::size_t n = raw<std::uint32_t>();
        if (!ok || n > m_left) return ok = false, QByteArray();
        QByteArray b(m_at, qsizetype(n));
        m_at += n, m_left -= n;
        return b;
    }
    QString text() { return QString::fromUtf8(bytes()); }
    std::optional<double> number()
    {
        const bool has = raw<std::uint8_t>() != 0;
        const double v = raw<double>();
        return has ? std::optional(v) : std::nullopt;
    }
    std::size_t count(std::size_t most)
    {
        const std::size_t n = raw<std::uint32_t>();
        if (n > most) ok = false;
        return ok ? n : 0;
    }
    bool atEnd() const { return m_left == 0; }
    bool ok = true;

private:
    const char* m_at;
    std::size_t m_left;
};
template <class T> bool below(const std::vector<T>& v, std::size_t bound)
{
    return std::all_of(v.begin(), v.end(), [&](T x) { return std::size_t(x) < bound; });
}
// Everything that is used as an index points at something.
bool sound(const Block& b)
{
    const std::size_t n = b.size();
    if (n == 0 || n > std::size_t(kBlockItems) || b.at.size() != n || b.verdict.size() != n || b.batch.size() != n ||
        b.station.size() != n || b.release.size() != n || b.kept.size() != n || b.textEnd.size() != n)
        return false;
    if (!below(b.batch, std::size_t(b.batches.size())) || !below(b.station, std::size_t(b.stations.size())) ||
        !below(b.release, b.releases.size()) || !below(b.id, std::size_t(kBlockItems)) || !below(b.verdict, 4) ||
        !std::is_sorted(b.textEnd.begin(), b.textEnd.end()) || b.textEnd.back() != std::uint32_t(b.text.size()) ||
        !std::is_sorted(b.id.begin(), b.id.end(), std::less_equal()))
        return false;
    return std::all_of(b.columns.begin(), b.columns.end(), [&](const Block::Column& c) {
        return c.state.size() == n && c.value.size() == n && below(c.state, 5) && !c.limitSets.empty() &&
               (c.limits.empty() || c.limits.size() == n) && below(c.limits, c.limitSets.size());
    });
}
} // namespace

QByteArray packed(const Block& b)
{
    Writer w;
    w.raw(kVersion);
    w.raw(std::int64_t(b.first));
    w.all(b.id), w.all(b.at), w.all(b.verdict), w.all(b.batch), w.all(b.station), w.all(b.release), w.all(b.kept),
        w.all(b.textEnd);
    w.text(b.text);
    for (const QStringList* list : {&b.batches, &b.stations}) {
        w.raw(std::uint32_t(list->size()));
        for (const QString& s : *list) w.text(s);
    }
    w.raw(std::uint32_t(b.releases.size()));
    for (const auto& r : b.releases) w.text(r.recipe), w.text(r.identity), w.raw(std::int32_t(r.revision));
    w.raw(std::uint32_t(b.columns.size()));
    for (const auto& c : b.columns) {
        for (const QString* s : {&c.check.recipe, &c.check.step, &c.check.output, &c.check.name, &c.check.unit})
            w.text(*s);
        w.raw(std::int32_t(c.check.balloon)), w.raw(std::int32_t(c.check.position)), w.raw(std::uint8_t(c.check.list));
        w.all(c.state), w.all(c.value), w.all(c.limits);
        w.raw(std::uint32_t(c.limitSets.size()));
        for (const auto& l : c.limitSets) w.number(l.nominal), w.number(l.low), w.number(l.high);
    }
    return w.m_out;
}

std::shared_ptr<const Block> unpacked(const QByteArray& bytes)
{
    constexpr std::size_t kMost = std::size_t(kBlockItems);
    Reader r(bytes);
    if (r.raw<std::uint32_t>() != kVersion) return nullptr;
    auto b = std::make_shared<Block>();
    b->first = r.raw<std::int64_t>();
    b->id = r.all<std::uint16_t>(), b->at = r.all<std::int64_t>(), b->verdict = r.all<ItemVerdict>();
    b->batch = r.all<std::uint16_t>(), b->station = r.all<std::uint16_t>(), b->release = r.all<std::uint16_t>();
    b->kept = r.all<std::uint8_t>(), b->textEnd = r.all<std::uint32_t>();
    b->text = r.bytes();
    for (QStringList* list : {&b->batches, &b->stations})
        for (std::size_t i = r.count(kMost); i > 0; --i) *list << r.text();
    for (std::size_t i = r.count(kMost); i > 0; --i) {
        ReleaseName name;
        name.recipe = r.text(), name.identity = r.text(), name.revision = r.raw<std::int32_t>();
        b->releases.push_back(std::move(name));
    }
    for (std::size_t i = r.count(1u << 20); i > 0 && r.ok; --i) {
        Block::Column c;
        for (QString* s : {&c.check.recipe, &c.check.step, &c.check.output, &c.check.name, &c.check.unit})
            *s = r.text();
        c.check.balloon = r.raw<std::int32_t>(), c.check.position = r.raw<std::int32_t>();
        c.check.list = r.raw<std::uint8_t>() != 0;
        c.state = r.all<CellState>(), c.value = r.all<double>(), c.limits = r.all<std::uint16_t>();
        for (std::size_t k = r.count(kMost); k > 0; --k) {
            LimitSet l;
            l.nominal = r.number(), l.low = r.number(), l.high = r.number();
            c.limitSets.push_back(l);
        }
        b->columns.push_back(std::move(c));
    }
    if (!r.ok || !r.atEnd() || !sound(*b)) return nullptr;
    return b;
}

namespace
{
template <class List, class Word> std::uint32_t numberOf(List& list, const Word& word)
{
    // Words come in the order of time: the last ones are met first.
    const auto at = std::find(std::make_reverse_iterator(list.end()), std::make_reverse_iterator(list.begin()), word);
    if (at.base() != list.begin()) return std::uint32_t(at.base() - list.begin() - 1);
    list.push_back(word);
    return std::uint32_t(list.size() - 1);
}
} // namespace

void Columns::add(std::shared_ptr<const Block> block)
{
    Words w;
    for (const QString& s : block->batches) w.batch.push_back(numberOf(batches, s));
    for (const QString& s : block->stations) w.station.push_back(numberOf(stations, s));
    for (const ReleaseName& r : block->releases) w.release.push_back(numberOf(releases, r));
    for (std::size_t c = 0; c < block->columns.size(); ++c) {
        const CheckName& check = block->columns[c].check;
        std::size_t at = 0;
        while (at < checks.size() && !checks[at].sameCheck(check)) ++at;
        if (at == checks.size()) checks.push_back(check);
        else checks[at].name = check.name, checks[at].balloon = check.balloon, checks[at].position = check.position;
        if (w.columnOf.size() <= at) w.columnOf.resize(at + 1, -1);
        w.columnOf[at] = std::int32_t(c);
    }
    m_items += block->size();
    newest = std::max(newest, block->first + block->id.back());
    blocks.push_back(std::move(block));
    words.push_back(std::move(w));
}

void Columns::dropLast()
{
    m_items -= blocks.back()->size();
    blocks.pop_back(), words.pop_back();
    newest = blocks.empty() ? 0 : blocks.back()->first + blocks.back()->id.back();
}

std::size_t Columns::bytes() const
{
    std::size_t sum = sizeof *this + overruled.size() * 80;
    for (const auto& b : blocks) {
        sum += b->size() * (2 + 8 + 1 + 2 + 2 + 2 + 1 + 4) + std::size_t(b->text.size());
        for (const auto& c : b->columns) sum += b->size() * (1 + 8) + c.limits.size() * 2 + c.limitSets.size() * 48;
    }
    return sum;
}

std::optional<Row> Columns::rowOfId(long long wanted) const
{
    const auto block = std::partition_point(blocks.begin(), blocks.end(),
                                            [&](const auto& b) { return b->first + kBlockItems <= wanted; });
    if (block == blocks.end() || (*block)->first > wanted) return std::nullopt;
    const auto& ids = (*block)->id;
    const auto at = std::lower_bound(ids.begin(), ids.end(), std::uint16_t(wanted - (*block)->first));
    if (at == ids.end() || (*block)->first + *at != wanted) return std::nullopt;
    return rowOf(std::size_t(block - blocks.begin()), std::size_t(at - ids.begin()));
}

} // namespace records
