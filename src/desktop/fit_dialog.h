// fit_dialog.h - a setting fitted to the labels: margin over setting as it is worked out, taken by Enter and not before.
#pragma once
#include "desktop/evidence_plot.h"
#include "desktop/session.h"
#include "inspect/fitting.h"

#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <thread>

namespace desktop
{

class FitDialog : public QDialog
{
    Q_OBJECT
public:
    FitDialog(Session& session, const std::string& step, const std::string& output, QWidget* parent);
    ~FitDialog() override;
    bool running() const { return m_running; }
    const std::vector<inspect::SettingMargin>& tried() const { return m_tried; }
    int best() const { return inspect::bestOf(m_tried); }

private:
    void start();
    void stop();
    void answered(int run, base::Result<inspect::SettingMargin> margin, bool last);
    void draw();
    void take();

    Session& m_session;
    std::string m_step, m_output;
    QComboBox* m_setting;
    EvidencePlot* m_plot;
    QLabel* m_words;
    QProgressBar* m_progress;
    QPushButton* m_take;
    std::vector<inspect::SettingMargin> m_tried;
    double m_now = 0;
    int m_run = 0, m_asked = 0;
    bool m_running = false;
    std::shared_ptr<std::atomic<bool>> m_cancel;
    std::thread m_thread;
};

} // namespace desktop
