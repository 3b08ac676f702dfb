// find_dialog.h - one place for everything: kinds by what they are for, steps, settings, trials, actions; and plain verbs
// that show what they would do before they do it.
#pragma once
#include "desktop/session.h"

#include <QAction>
#include <QDialog>
#include <QIcon>

class QLabel;
class QLineEdit;
class QTreeWidget;

namespace desktop
{
class SetupPage;

// What a search leads to.
struct Hit {
    QString what, where, value; // "Least size", "in Slots", "50 px²"
    QString reason{};           // why it cannot be done now; empty: it can
    QString words{};            // besides what it is called: what it may be looked for by
    QIcon icon{};
    std::function<void()> act{};
    std::function<void()> show{}; // what would become of it, while it is the chosen one
    int rank = 0;                 // of its sort: smaller first among equals
};
// How well `typed` fits, 0: not at all. Every word typed must begin a word of the hit.
int fits(const Hit& hit, const QString& typed);

class FindDialog : public QDialog
{
    Q_OBJECT
public:
    FindDialog(Session& session, SetupPage& page, const QList<QAction*>& actions, QWidget* parent);
    ~FindDialog() override;
    const std::vector<Hit>& hits() const { return m_shown; }

signals:
    void guideWanted(const QString& page);

protected:
    bool eventFilter(QObject*, QEvent*) override;
    void done(int result) override;

private:
    void search(const QString& typed);
    void gatherAll(const QList<QAction*>& actions);
    void gatherKinds();
    void gatherSteps();
    void gatherTrials();
    bool verb(const QString& typed); // a line that begins with one: its hits, previewed
    void setVerb(const QStringList& words);
    void previewLimits(const std::string& step, const std::string& output, const recipe::Limits& limits);
    void accepted(int row);

    Session& m_session;
    SetupPage& m_page;
    QLineEdit* m_edit;
    QTreeWidget* m_list;
    QLabel* m_note;
    std::vector<Hit> m_all, m_shown;
};

} // namespace desktop
