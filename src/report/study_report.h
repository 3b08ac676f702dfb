// study_report.h - how well values repeat, as a PDF: a study of parts, persons and repeats, or takes of one part.
//
// Fails   as Pages::write.
#pragma once
#include "inspect/repeatability.h"
#include "report/pages.h"

namespace report
{

// `what`: the check, or where the values came from. `unit`: of the values, may be empty.
base::Status writeStudyReport(const QString& path, const inspect::Study& study,
                              const std::vector<inspect::StudyValue>& values, const std::optional<double>& tolerance,
                              const QString& what, const QString& unit, Paper paper);

struct RepeatLine {
    QString name, unit;
    int takes = 0, left = 0;
    std::optional<inspect::Repeatability> result;
    std::optional<double> tolerance;
    QString reason; // when there is no result
};
base::Status writeRepeatReport(const QString& path, const std::vector<RepeatLine>& lines, const QString& what,
                               Paper paper);

} // namespace report
