// strain.h - how far each check holds under what a line does to pictures.
//
// Input   a prepared recipe, captures with what a person said of them, the changes that are expected, how many levels
//         of each are tried.
// Output  for every check (and datum) and every change the weakest level at which an answer turned: a good part
//         rejected, a bad one let through, or nothing measured; with the picture that did it. Reserve: that level by
//         the expected one.
// Fails   Cancelled. What was rejected though good, or accepted though bad, without any change is told and not looked
//         at.
// Cost    pictures × changes × levels inspections, on all cores; the same seed gives the same result on any number.
#pragma once
#include "base/zip.h"
#include "inspect/inspect.h"
#include "proof/change.h"

namespace proof
{

using CapturePtr = std::shared_ptr<const image::Capture>;
struct Sample { // one trial, as it was taken
    int trial = -1;
    std::string picture;
    CapturePtr capture;
    bool bad = false;
    inspect::PictureResult result; // without any change
};

enum class Turn { Held, GoodRejected, BadAccepted, NotMeasured };
const char* name(Turn turn); // "held", "good_rejected", …; stored
struct Cell {
    std::string change;
    double expected = 0;
    Turn turn = Turn::Held;
    double level = 0;  // the weakest at which it turns; of one that held, the strongest tried
    double before = 0; // the strongest below it at which it had not turned
    int sample = -1;   // the one that turned first
    std::uint64_t seed = 0;
    std::optional<double> reserve() const { return expected > 0 ? std::optional(level / expected) : std::nullopt; }
    bool holds() const { return turn == Turn::Held || level > expected; }
};
struct StrainRow {
    std::string step, output; // of a datum without a check of its own: output empty
    std::string name;
    int balloon = 0;
    std::vector<Cell> cells;     // in the changes' order
    const Cell* weakest() const; // null: none
    double reserve() const;      // the least of its cells; 0 with none
};
struct Strain {
    std::vector<std::string> changes; // keys
    std::vector<StrainRow> rows;      // weakest first
    int samples = 0, good = 0, bad = 0;
    int shortCells() const, cells() const;
    const StrainRow* row(const std::string& step, const std::string& output) const;
};
struct StrainSettings {
    // Shares of what is expected. The level at what is expected and the last are asked first; those between only where
    // an answer turns between.
    std::vector<double> levels{0.5, 1, 1.5, 2};
    int refine = 2; // halvings between the last that held and the first that did not
    std::uint64_t seed = 1;
    int threads = 0;
    double from = 0, until = 1; // what of the watch's share this is
};
base::Result<Strain> strain(const inspect::Prepared& prepared, const std::vector<Sample>& samples,
                            const StrainSettings& settings, base::Watch* watch = nullptr);

// How one value goes as a change grows: the evidence of a cell.
struct Response {
    std::vector<double> levels, values; // a value that was not measured is NaN
    base::Unit unit = base::Unit::None;
    std::optional<double> low, high;
};
Response response(const inspect::Prepared& prepared, const Sample& sample, const std::string& step,
                  const std::string& output, const std::string& change, const std::vector<double>& levels,
                  std::uint64_t seed);

// The seed a change of one trial is drawn with; `side` is its lowest bit.
std::uint64_t seedOf(std::uint64_t seed, int trial, const std::string& change, int side = 0);

} // namespace proof
