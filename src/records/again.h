// again.h - a logged item inspected again, with the recipe it was logged with or another; nothing logged changes.
//
// The picture is the very one that was inspected: its bytes' hash says so, wherever it lies now (where it was put aside,
// beside the log, or where it came from).
//
// Fails    NotFound: the picture is not there (said why), the item was logged before recipes were kept whole, or its
//          picture could not be read then; else as Prepared::make, image::captureOf.
#pragma once
#include "image/capture.h"
#include "records/record_log.h"

namespace records
{

struct CheckAgain {
    std::string name, step, output, unit, unitNow;
    bool wasThere = false, isThere = false; // in the recipe then, and now
    std::vector<double> before, now;        // none: not measured
    std::string verdictBefore, verdictNow;  // "" where it is not there
    std::string reasonBefore, reasonNow;
    bool same() const
    {
        return wasThere == isThere && before == now && verdictBefore == verdictNow && reasonBefore == reasonNow;
    }
};
struct Again {
    ItemRow row;
    std::shared_ptr<const image::Capture> capture;
    std::shared_ptr<const inspect::PictureResult> result;
    int item = -1; // which of the result's items it is; -1: none
    std::string verdictNow, sentenceNow;
    std::vector<CheckAgain> checks; // of the logged item in its order, then those it did not have
    bool verdictChanged() const { return row.verdict.toStdString() != verdictNow; }
    bool same() const;
    const inspect::ItemResult* itemNow() const { return item < 0 ? nullptr : &result->items[std::size_t(item)]; }
};

// The pictures of an item as they were inspected.
base::Result<image::Capture> captureOf(const RecordLog& log, const ItemRow& row, const image::Naming& naming);
// The recipes items were logged with, made ready once each.
class OwnRecipes
{
public:
    base::Result<std::shared_ptr<const inspect::Prepared>> of(const RecordLog& log, const ItemRow& row);

private:
    std::map<std::string, std::shared_ptr<const inspect::Prepared>> m_known;
};
base::Result<Again> inspectAgain(const RecordLog& log, long long id, const inspect::Prepared& with);

} // namespace records
