// record_report.h - what was logged as a PDF: one item with its picture and every value, or all a choice says with its
// statistics, charts, faults and rejects.
//
// Fails   as Pages::write; NotFound, Io of the log.
#pragma once
#include "base/zip.h"
#include "records/again.h"
#include "records/choice.h"
#include "report/item_pages.h"
#include "report/pages.h"

namespace report
{

// One item as it was logged; its marks are those of its own recipe, computed anew from the kept picture.
base::Status writeItemReport(const QString& log, long long item, const QString& path, Paper paper,
                             const ItemPages& extra = {});
// Its picture with the marks of its own recipe, as PNG. Fails also as inspectAgain: the picture was not kept.
base::Status writeItemPicture(const records::RecordLog& log, records::OwnRecipes& own, long long item,
                              const QString& path);
struct BatchReport {
    QString heading;  // "Batch 2211-A"
    QString sentence; // which items they are
    records::ChartKind kind = records::ChartKind::Individuals;
    int group = 5;
    Paper paper = Paper::A4;
};
// All that are chosen. `log` is asked for the rejects' sentences.
base::Status writeBatchReport(const QString& log, const records::Columns& columns, const records::Choice& choice,
                              const BatchReport& report, const QString& path, base::Watch* watch = nullptr);

} // namespace report
