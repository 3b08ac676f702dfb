// columns.h - a record log in memory, column by column: what charts, counts and choices over a million items are made of.
//
// A block holds the items of kBlockItems numbers in a row, with words of its own for names, batches and limits; Columns
// puts blocks together and gives every word one number over all of them. Blocks never change once they are made and are
// shared by all that look.
//
// Units   values as logged (their unit in CheckName), times in milliseconds since 1970, UTC. NaN: no number.
#pragma once
#include "inspect/result.h"

#include <QByteArray>
#include <QString>
#include <QStringList>
#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <vector>

namespace records
{

constexpr long long kBlockItems = 4096;
enum class ItemVerdict : std::uint8_t { Accept, Reject, Unjudged, Error };
// Of one check of one item. Absent: its recipe has no such check.
enum class CellState : std::uint8_t { Absent, Pass, Fail, NotMeasured, Unjudged };

struct CheckName {
    QString recipe, step, output, name, unit;
    int balloon = 0, position = 0;
    bool list = false;
    bool operator==(const CheckName&) const = default;
    bool sameCheck(const CheckName& o) const
    {
        return step == o.step && output == o.output && unit == o.unit && list == o.list && recipe == o.recipe;
    }
};
struct LimitSet {
    std::optional<double> nominal, low, high;
    bool operator==(const LimitSet&) const = default;
};
struct ReleaseName {
    QString recipe, identity;
    int revision = 0;
    bool operator==(const ReleaseName&) const = default;
};

struct Block {
    long long first = 0; // ids of its items lie from it to before first + kBlockItems, ascending
    std::vector<std::uint16_t> id;
    std::vector<std::int64_t> at;
    std::vector<ItemVerdict> verdict;
    std::vector<std::uint16_t> batch, station, release; // into the words
    std::vector<std::uint8_t> kept;                     // 1: its picture was put aside
    std::vector<std::uint32_t> textEnd;                 // of each item's text
    QByteArray text;                                    // picture and sentence, lower case, UTF-8
    QStringList batches, stations;
    std::vector<ReleaseName> releases;
    struct Column {
        CheckName check;
        std::vector<CellState> state;
        std::vector<double> value;         // of a list: its worst, NaN where each element has limits of its own
        std::vector<std::uint16_t> limits; // into limitSets; empty: all have the first
        std::vector<LimitSet> limitSets;
        const LimitSet& limitsOf(std::size_t i) const { return limitSets[limits.empty() ? 0 : limits[i]]; }
    };
    std::vector<Column> columns;
    std::size_t size() const { return id.size(); }
};
// The bytes a block is kept as, and back; null: other bytes, or of another version.
QByteArray packed(const Block& block);
std::shared_ptr<const Block> unpacked(const QByteArray& bytes);

// An item by its block and its place in it.
using Row = std::uint32_t;
constexpr Row rowOf(std::size_t block, std::size_t item) { return Row(block << 12 | item); }
constexpr std::size_t blockOf(Row r) { return r >> 12; }
constexpr std::size_t itemOf(Row r) { return r & 4095; }

class Columns
{
public:
    std::vector<std::shared_ptr<const Block>> blocks;
    QStringList batches, stations;          // in the order they first came
    std::vector<ReleaseName> releases;      // the same
    std::vector<CheckName> checks;          // in the order of the recipes; names are the newest
    std::map<long long, QString> overruled; // item and the verdict a person gave it last
    long long newest = 0;                   // id

    // Numbers of a block's words over all blocks; of a column, of a check in it (-1: it has none).
    struct Words {
        std::vector<std::uint32_t> batch, station, release;
        std::vector<std::int32_t> columnOf; // by check
    };
    std::vector<Words> words; // by block

    void add(std::shared_ptr<const Block> block);
    void dropLast();
    std::size_t items() const { return m_items; }
    std::size_t bytes() const; // in memory, about

    long long id(Row r) const { return blocks[blockOf(r)]->first + blocks[blockOf(r)]->id[itemOf(r)]; }
    std::int64_t at(Row r) const { return blocks[blockOf(r)]->at[itemOf(r)]; }
    ItemVerdict verdict(Row r) const { return blocks[blockOf(r)]->verdict[itemOf(r)]; }
    std::uint32_t batch(Row r) const { return words[blockOf(r)].batch[blocks[blockOf(r)]->batch[itemOf(r)]]; }
    std::uint32_t release(Row r) const { return words[blockOf(r)].release[blocks[blockOf(r)]->release[itemOf(r)]]; }
    std::uint32_t station(Row r) const { return words[blockOf(r)].station[blocks[blockOf(r)]->station[itemOf(r)]]; }
    struct Cell {
        CellState state = CellState::Absent;
        double value = 0;
        const LimitSet* limits = nullptr;
    };
    Cell cell(Row r, std::size_t check) const
    {
        const std::size_t b = blockOf(r), i = itemOf(r);
        const auto& of = words[b].columnOf;
        if (check >= of.size() || of[check] < 0) return {};
        const Block::Column& c = blocks[b]->columns[std::size_t(of[check])];
        return {c.state[i], c.value[i], &c.limitsOf(i)};
    }
    std::optional<Row> rowOfId(long long id) const;

private:
    std::size_t m_items = 0;
};

} // namespace records
