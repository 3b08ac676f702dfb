// records_page.h - every inspected item as a table, filtered by verdict and text; the values of the chosen one beside
// it.
#pragma once
#include "records/record_log.h"

#include <QWidget>

class QComboBox;
class QLabel;
class QLineEdit;
class QTableWidget;

namespace desktop
{

class RecordsPage : public QWidget
{
    Q_OBJECT
public:
    explicit RecordsPage(QString logPath, QWidget* parent = nullptr);

public slots:
    void refresh();

private:
    void showValues();
    QString m_path;
    std::unique_ptr<records::RecordLog> m_log;
    QComboBox* m_verdict;
    QLineEdit* m_text;
    QLabel *m_count, *m_hint, *m_valuesTitle;
    QTableWidget *m_table, *m_values;
};

} // namespace desktop
