// proof_page.h - the fourth workspace: what is expected on the line, how far every check holds, what no check sees, how
// sure values are, and the approval.
#pragma once
#include "desktop/latest_job.h"
#include "desktop/proof/flip_view.h"
#include "desktop/proof/strain_matrix.h"
#include "desktop/session.h"
#include "report/proof_page.h"

#include <QWidget>

class QAction;
class QHBoxLayout;
class QLabel;
class QLineEdit;
class QProgressBar;
class QPushButton;
class QToolButton;
class QVBoxLayout;

namespace desktop
{

class FaultsView;
class SureView;

class ProofPage : public QWidget
{
    Q_OBJECT
public:
    // `who`: who is at work.
    ProofPage(Session& session, std::function<QString()> who, QWidget* parent = nullptr);
    ~ProofPage() override;
    QAction* action(const QString& id) const { return m_actions.value(id); }
    void prove(bool quick);
    void stop();
    bool proving() const { return m_running; }
    bool settled() const { return !m_running && !m_flipJob.busy() && !m_missedJob.busy() && !m_beforeJob.busy(); }
    std::shared_ptr<const proof::Proof> proof() const { return m_proof; }
    bool isOld() const; // the recipe was changed since
    StrainMatrix* matrix() const { return m_matrix; }
    // In words: for the title line.
    QString answer() const;
    base::Status writePdf(const QString& path) const;
    base::Status sign(const QString& path); // writes the page, signed, and what it rests on beside it

public slots:
    void refresh();

signals:
    void said(const QString& text);
    void openWanted(int trial, const std::string& step, const std::string& output);
    void signedOff(const QString& what, const QString& subject, const QString& after);

private:
    void makeActions();
    QLayout* makeProof();
    QWidget* makeApproval();
    void makeSentence();
    void editExpected(const std::string& change);
    void take(std::shared_ptr<const proof::Proof> proof, bool last);
    void showApproval();
    void addFacts();
    std::size_t addPoints();
    void showFlip();
    void showMissed();
    void giveReason(const std::string& point);
    void compareWithBefore();
    void openChosen();
    void save();

    Session& m_session;
    std::function<QString()> m_who;
    QMap<QString, QAction*> m_actions;
    QToolButton* m_sentence = nullptr;
    QLabel *m_answer = nullptr, *m_weakest = nullptr, *m_foot = nullptr;
    QProgressBar* m_bar = nullptr;
    QPushButton *m_prove = nullptr, *m_stop = nullptr, *m_sign = nullptr, *m_pdf = nullptr;
    QLineEdit* m_name = nullptr;
    StrainMatrix* m_matrix = nullptr;
    FlipView* m_flip = nullptr;
    FaultsView* m_faults = nullptr;
    SureView* m_sure = nullptr;
    QVBoxLayout *m_facts = nullptr, *m_points = nullptr;
    QLabel *m_title = nullptr, *m_against = nullptr;
    std::shared_ptr<const proof::Proof> m_made, m_proof; // as it was worked out; with the reasons given since
    std::pair<const proof::Proof*, int> m_flipOf{};      // what is shown below, so that it is not asked again
    const proof::Proof* m_missedOf = nullptr;
    QString m_path;                                // of the recipe it was proved with
    std::shared_ptr<const inspect::Prepared> m_of; // what it was proved with
    std::string m_identity;                        // of that
    QString m_provedAt;
    report::Approval m_approval;
    bool m_running = false, m_allPoints = false;
    std::shared_ptr<base::Watch> m_watch;
    QTimer m_look;
    LatestJob m_job, m_flipJob, m_missedJob, m_beforeJob; // last: their threads end first
};

} // namespace desktop
