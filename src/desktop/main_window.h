// main_window.h - header with the three workspaces, menus, files; everything else lives in the pages.
#pragma once
#include "desktop/proof/proof_page.h"
#include "desktop/records/records_page.h"
#include "desktop/run/run_page.h"
#include "desktop/setup/setup_page.h"
#include "inspect/review.h"

#include <QMainWindow>
#include <QPointer>

class QMenu;
class QMenuBar;
class QStackedWidget;
class QToolButton;

namespace desktop
{
class ReviewDialog;

class GuideWindow;
class Hints;

class MainWindow : public QMainWindow
{
    Q_OBJECT
public:
    // `simulated` makes the pictures of the station without a camera; `dataFolder` holds the record log.
    MainWindow(RunPage::SourceMaker simulated, const QString& dataFolder, QWidget* parent = nullptr);

    Session& session() { return m_session; }
    Hints* hints() const { return m_hints; }
    SetupPage* setupPage() const { return m_setup; }
    RunPage* runPage() const { return m_run; }
    RecordsPage* recordsPage() const { return m_records; }
    ProofPage* proofPage() const { return m_proof; }
    bool openRecipe(const QString& path);       // says what went wrong in the notice line
    void addPictures(const QStringList& paths); // pictures, folders and recipes, as dropped
    void offerRecovery();
    bool save(const QString& why = {});
    bool saveAs();
    QString usualFolder() const;
    void showWorkspace(int index);
    int workspace() const;
    SignedIn& who() { return m_who; }

protected:
    void changeEvent(QEvent*) override; // coming back from another program: pictures may have changed
    void resizeEvent(QResizeEvent*) override;
    void closeEvent(QCloseEvent*) override;
    void dragEnterEvent(QDragEnterEvent*) override;
    void dropEvent(QDropEvent*) override;

private:
    void makeHeader();
    void makeActions();
    void refreshHeader();
    void say(const QString& text, bool wrong = false);
    bool mayLoseChanges();
    void calibrate();
    void showDrawing(const QString& path); // the recipe's, or a file to be taken
    void saveWithNote();
    void makeVariantMenu(QMenu* menu);
    std::optional<QString> askName(const QString& title, const QString& words, const QString& now);
    void checkDetails(const std::string& output = {});
    void rebuildRecent();
    QString thumbnailOf(const QString& path) const;
    void keepThumbnail();
    void remember();
    void refreshReview();
    void showReview();
    void goToDoubt(int finding);
    void setUpRecords();
    void applyRecordsSetup(const RecordsSetup& setup);
    void showGuide(const QString& page); // empty: keys and gestures
    void releaseRecipe();
    void refreshLine();
    QAction* add(const char* id, const std::function<void()>& call);

    void applyRights();
    void signInOrOut();
    void setWholeScreen(bool on);
    bool engineer() const { return m_who.may(people::Right::Engineer); }

    Session m_session;
    SignedIn m_who;
    RunPage::SourceMaker m_simulated;
    QString m_data; // folder
    QWidget* m_header = nullptr;
    std::vector<QMenu*> m_engineerMenus;
    std::vector<QPointer<QAction>> m_locked; // switched off while nobody may use them
    bool m_wasMaximized = false, m_recoveryWaits = false;
    QMenuBar* m_menus = nullptr;
    QMenu* m_recent = nullptr;
    QLabel *m_name = nullptr, *m_said = nullptr;
    QWidget* m_notice = nullptr;
    QLabel* m_noticeText = nullptr;
    QHBoxLayout* m_noticeButtons = nullptr;
    QToolButton *m_calibrated = nullptr, *m_drawingChip = nullptr, *m_trialChip = nullptr, *m_foreign = nullptr,
                *m_reviewChip = nullptr, *m_lineChip = nullptr;
    std::vector<inspect::Finding> m_findings;
    int m_doubt = -1; // the one the person was led to last
    ReviewDialog* m_review = nullptr;
    std::vector<QToolButton*> m_tabs;
    QStackedWidget* m_pages = nullptr;
    Hints* m_hints = nullptr;
    GuideWindow* m_guide = nullptr;
    SetupPage* m_setup = nullptr;
    RunPage* m_run = nullptr;
    RecordsPage* m_records = nullptr;
    ProofPage* m_proof = nullptr;
    QTimer m_saidTimer, m_reviewTimer;
    LatestJob m_thumbnails; // last: its thread ends first
};

} // namespace desktop
