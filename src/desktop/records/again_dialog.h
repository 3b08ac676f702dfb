// again_dialog.h - everything the sentence says, inspected again with another recipe: old and new side by side, changed
// verdicts first. Nothing logged changes.
#pragma once
#include "base/zip.h"
#include "records/again.h"

#include <QDialog>

class QTableWidget;

namespace desktop
{

// What became of one item; only what differs is kept, pictures are let go at once.
struct AgainLine {
    long long id = 0;
    std::string picture, before, now, sentence, error;
    bool changed = false, same = false;
    std::vector<records::CheckAgain> differing;
};
// On as many threads as there are cores; in the order of the ids. Fails: the log cannot be opened; Cancelled.
base::Result<std::vector<AgainLine>> inspectAllAgain(const QString& log, const std::vector<long long>& ids,
                                                     const inspect::Prepared& with, base::Watch& watch);

class AgainDialog : public QDialog
{
    Q_OBJECT
public:
    AgainDialog(std::vector<AgainLine> lines, const QString& with, QWidget* parent);
    QString summary() const { return m_summary; }

signals:
    void wanted(long long item);

private:
    QString m_summary;
    QTableWidget* m_table;
};

} // namespace desktop
