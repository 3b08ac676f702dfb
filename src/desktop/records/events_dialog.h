// events_dialog.h - what persons did and what happened to the line, newest first, as it stands in the log.
#pragma once
#include "records/record_log.h"

#include <QDialog>

class QComboBox;
class QLabel;
class QTableWidget;

namespace desktop
{

class EventsDialog : public QDialog
{
    Q_OBJECT
public:
    EventsDialog(const QString& logPath, QWidget* parent);

private:
    void fill();
    std::vector<records::EventRow> m_events;
    QComboBox* m_what;
    QTableWidget* m_table;
    QLabel* m_count;
};

} // namespace desktop
