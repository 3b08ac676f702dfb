// records_setup.h - where records go and how long they stay: a server of several stations, bounds, reports made by
// themselves. Kept in records.json beside the records, readable by its owner alone.
#pragma once
#include "records/server.h"
#include "report/auto_reports.h"

#include <QDialog>

class QCheckBox;
class QDoubleSpinBox;
class QLabel;
class QLineEdit;
class QSpinBox;

namespace desktop
{

struct RecordsSetup {
    bool toServer = false;
    records::ServerAddress server;
    double pictureGigabytes = 0; // 0: no bound
    report::AutoReportSettings reports;
    // Fails: Corrupt, Io (named). A file that is not there is the usual setup.
    static base::Result<RecordsSetup> load(const QString& file);
    base::Status save(const QString& file) const;
};

class RecordsSetupDialog : public QDialog
{
    Q_OBJECT
public:
    RecordsSetupDialog(RecordsSetup setup, QString log, QWidget* parent);
    RecordsSetup setup() const;

private:
    void accept() override;
    void tryServer();
    void sayLeaving();
    void removeOld();
    QString m_log;
    QCheckBox *m_toServer, *m_itemPdf, *m_itemPng, *m_itemJson, *m_rejects, *m_batchPdf, *m_batchCsv, *m_letter,
        *m_deviationPage, *m_drawingPage;
    QLineEdit *m_host, *m_database, *m_user, *m_password, *m_folder, *m_pattern;
    QSpinBox *m_port, *m_days;
    QDoubleSpinBox *m_pictures, *m_most;
    QLabel *m_serverState, *m_leaving, *m_wrong;
};

} // namespace desktop
