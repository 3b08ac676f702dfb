#include "desktop/main_window.h"

#include "base/zip.h"
#include "desktop/calibrate_dialog.h"
#include "desktop/camera_dialog.h"
#include "desktop/check_dialog.h"
#include "desktop/drawing_dialog.h"
#include "desktop/elided_label.h"
#include "desktop/find_dialog.h"
#include "desktop/fit_dialog.h"
#include "desktop/guide_resource.h"
#include "desktop/guide_window.h"
#include "desktop/height_dialog.h"
#include "desktop/help_dialog.h"
#include "desktop/hints.h"
#include "desktop/keys.h"
#include "desktop/outputs_dialog.h"
#include "desktop/param_form.h"
#include "desktop/person.h"
#include "desktop/pictures_dialog.h"
#include "desktop/proof/proof_page.h"
#include "desktop/proposals_dialog.h"
#include "desktop/recipe_dialog.h"
#include "desktop/recovery.h"
#include "desktop/repeat_dialog.h"
#include "desktop/review_dialog.h"
#include "desktop/revisions_dialog.h"
#include "desktop/robot_dialog.h"
#include "desktop/run/release_dialog.h"
#include "desktop/screen_dialog.h"
#include "desktop/sign_in_dialog.h"
#include "desktop/style.h"
#include "desktop/trace_dialog.h"
#include "image/decode.h"
#include "inspect/labels.h"
#include "recipe/variants.h"

#include <QApplication>
#include <QCloseEvent>
#include <QCryptographicHash>
#include <QDialogButtonBox>
#include <QDir>
#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QInputDialog>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QPainter>
#include <QProxyStyle>
#include <QSettings>
#include <QStackedWidget>
#include <QStandardPaths>
#include <QStatusBar>
#include <QTextBrowser>
#include <QToolButton>
#include <QVBoxLayout>

namespace desktop
{
using namespace recipe;

namespace
{
const QString kRecipeFilter = QStringLiteral("Dikkat recipes (*.dikkat *.json);;All files (*)");
// Icons of a menu as large as a small picture.
class LargeIcons : public QProxyStyle
{
public:
    int pixelMetric(PixelMetric metric, const QStyleOption* option, const QWidget* widget) const override
    {
        return metric == PM_SmallIconSize ? 64 : QProxyStyle::pixelMetric(metric, option, widget);
    }
};

const QString kPictureFilter = QStringLiteral("Pictures (*.png *.jpg *.jpeg *.tif *.tiff *.ply *.xyz);;All files (*)");
} // namespace

MainWindow::MainWindow(RunPage::SourceMaker simulated, const QString& dataFolder, QWidget* parent)
    : QMainWindow(parent), m_who(dataFolder + QStringLiteral("/people.json")), m_simulated(simulated),
      m_data(dataFolder)
{
    openGuide();
    setObjectName(QStringLiteral("mainWindow"));
    setAcceptDrops(true);
    setMinimumSize(960, 640);
    m_setup = new SetupPage(m_session, this);
    m_run = new RunPage(m_session, m_who, std::move(simulated), dataFolder + QStringLiteral("/records.sqlite"), this);
    m_records = new RecordsPage(
        dataFolder + QStringLiteral("/records.sqlite"), [this] { return m_session.prepared(); }, this);
    m_pages = new QStackedWidget(this);
    m_pages->addWidget(m_setup);
    m_pages->addWidget(m_run);
    m_pages->addWidget(m_records);
    m_proof = new ProofPage(
        m_session, [this] { return m_who.name().isEmpty() ? person() : m_who.name(); }, this);
    m_pages->addWidget(m_proof);
    connect(m_proof, &ProofPage::said, this, [this](const QString& text) { say(text); });
    connect(m_proof, &ProofPage::openWanted, this,
            [this](int trial, const std::string& step, const std::string& output) {
                showWorkspace(0);
                m_session.setTrial(trial);
                m_session.select(step, output);
            });
    connect(m_proof, &ProofPage::signedOff, &m_who, &SignedIn::happened);
    makeHeader();
    makeActions();
    connect(&m_session, &Session::recipeChanged, this, &MainWindow::refreshHeader);
    connect(&m_session, &Session::resultsChanged, this, &MainWindow::refreshHeader);
    // Looked through anew once things have settled for a moment.
    m_reviewTimer.setSingleShot(true), m_reviewTimer.setInterval(150);
    connect(&m_reviewTimer, &QTimer::timeout, this, &MainWindow::refreshReview);
    connect(&m_session, &Session::recipeChanged, &m_reviewTimer, qOverload<>(&QTimer::start));
    connect(&m_session, &Session::resultsChanged, &m_reviewTimer, qOverload<>(&QTimer::start));
    connect(&m_reviewTimer, &QTimer::timeout, this, &MainWindow::refreshLine);
    connect(m_run, &RunPage::releaseWanted, this, &MainWindow::releaseRecipe);
    connect(m_run, qOverload<const QString&>(&RunPage::released), this, [this](const QString& words) {
        say(words);
        refreshHeader();
        refreshLine();
    });
    connect(m_setup->evidence()->form(), &ParamForm::detailsWanted, this,
            [this](const QString& output) { checkDetails(output.toStdString()); });
    connect(m_setup->evidence()->form(), &ParamForm::convertWanted, this, [this] { m_session.convertLimits(); });
    connect(&m_session, &Session::said, this, [this](const QString& text) { say(text); });
    m_saidTimer.setSingleShot(true);
    connect(&m_saidTimer, &QTimer::timeout, this, [this] {
        m_run->unsay(m_said->text());
        m_said->clear();
    });
    QSettings settings;
    if (!restoreGeometry(settings.value(QStringLiteral("geometry")).toByteArray())) {
        // The frame belongs to the window: with it, it fits the screen; on a large one it takes most of it.
        const QSize screen =
            QGuiApplication::primaryScreen() ? QGuiApplication::primaryScreen()->availableSize() : QSize(1280, 800);
        constexpr QSize frame(8, 40);
        const QSize wanted = screen.width() >= 1600 && screen.height() >= 1000 ? screen * 0.88 : QSize(1280, 800);
        resize(wanted.boundedTo(screen - frame).expandedTo(minimumSize()));
    }
    m_setup->restoreSizes(settings);
    m_records->restoreSizes(settings);
    if (const auto kept = RecordsSetup::load(m_data + QStringLiteral("/records.json")); kept) applyRecordsSetup(*kept);
    else m_run->say(tr("records: %1").arg(QString::fromStdString(kept.error().text())));
    connect(m_records, &RecordsPage::runWanted, this, [this] { showWorkspace(1); });
    connect(m_records, &RecordsPage::said, this, [this](const QString& text) { say(text); });
    refreshHeader();
    showWorkspace(0);
    connect(m_run, &RunPage::signInWanted, this, &MainWindow::signInOrOut);
    connect(m_run, &RunPage::fullScreenWanted, this, &MainWindow::setWholeScreen);
    connect(&m_who, &SignedIn::changed, this, &MainWindow::applyRights);
    applyRights();
}

void MainWindow::makeHeader()
{
    auto* whole = new QWidget(this);
    auto* layout = new QVBoxLayout(whole);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    auto* header = m_header = new QWidget(whole);
    header->setObjectName(QStringLiteral("header"));
    header->setFixedHeight(40);
    auto* row = new QHBoxLayout(header);
    row->setContentsMargins(10, 0, 10, 0);
    row->setSpacing(6);
    auto* brand = new QLabel(QStringLiteral("Dikkat"), header);
    brand->setFont(report::uiFont(14, true));
    row->addWidget(brand);
    m_menus = new QMenuBar(header);
    m_menus->setNativeMenuBar(false);
    m_menus->setSizePolicy(QSizePolicy::Maximum, QSizePolicy::Preferred);
    row->addWidget(m_menus, 0, Qt::AlignVCenter);
    const char* tabs[] = {"setup", "runPage", "records", "proofPage"};
    for (int i = 0; i < 4; ++i) {
        auto* b = new QToolButton(header);
        const Key& key = keyOf(QString::fromLatin1(tabs[i]));
        b->setObjectName(QStringLiteral("tab%1").arg(i));
        b->setText(QString::fromLatin1(key.label));
        b->setToolTip(QString::fromLatin1(key.help) + QStringLiteral("  (") + QString::fromLatin1(key.keys) +
                      QStringLiteral(")"));
        b->setProperty("tab", true);
        b->setCheckable(true);
        b->setAutoExclusive(true);
        connect(b, &QToolButton::clicked, this, [this, i] { showWorkspace(i); });
        row->addWidget(b);
        m_tabs.push_back(b);
    }
    row->addSpacing(8);
    m_name = new ElidedLabel(header);
    m_name->setObjectName(QStringLiteral("recipeName"));
    m_name->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    row->addWidget(m_name, 1);
    const auto chip = [&](const char* name) {
        auto* b = new QToolButton(header);
        b->setObjectName(QLatin1String(name));
        b->setProperty("chip", true);
        row->addWidget(b);
        return b;
    };
    m_trialChip = chip("trialChip");
    m_trialChip->setToolTip(tr("Next trial whose label and verdict disagree  (Shift+PgDown)"));
    connect(m_trialChip, &QToolButton::clicked, this,
            [this] { m_setup->action(QStringLiteral("nextDisagreeing"))->trigger(); });
    m_foreign = chip("foreignChip");
    m_foreign->setToolTip(
        tr("These limits are in another unit than their values and judge nothing; click to convert them all"));
    connect(m_foreign, &QToolButton::clicked, this, [this] { m_session.convertLimits(); });
    m_reviewChip = chip("reviewChip");
    m_reviewChip->hide(); // until there is something to review
    m_reviewChip->setToolTip(tr("What is doubtful about this recipe  (Shift+F3; F3 walks through it)"));
    connect(m_reviewChip, &QToolButton::clicked, this, [this] { showReview(); });
    m_lineChip = chip("lineChip");
    m_lineChip->setToolTip(
        tr("What runs differs from what is edited here; click to see in what, and to release  (Ctrl+Shift+R)"));
    connect(m_lineChip, &QToolButton::clicked, this, [this] { releaseRecipe(); });
    m_lineChip->hide();
    m_drawingChip = chip("drawingChip");
    m_drawingChip->setToolTip(tr("The drawing of the part: layers, unit, what was not read  (Ctrl+G)"));
    connect(m_drawingChip, &QToolButton::clicked, this, [this] { showDrawing({}); });
    m_drawingChip->hide();
    m_calibrated = chip("calibratedChip");
    m_calibrated->setToolTip(tr("The size of a pixel; click to calibrate by a known length or a target  (Ctrl+K)"));
    connect(m_calibrated, &QToolButton::clicked, this, [this] { calibrate(); });
    layout->addWidget(header);
    m_notice = new QWidget(whole);
    m_notice->setObjectName(QStringLiteral("notice"));
    auto* noticeRow = new QHBoxLayout(m_notice);
    noticeRow->setContentsMargins(12, 4, 8, 4);
    m_noticeText = new QLabel(m_notice);
    m_noticeText->setObjectName(QStringLiteral("noticeText"));
    m_noticeText->setWordWrap(true);
    m_noticeText->setTextInteractionFlags(Qt::TextSelectableByMouse);
    noticeRow->addWidget(m_noticeText, 1);
    m_noticeButtons = new QHBoxLayout;
    noticeRow->addLayout(m_noticeButtons);
    m_notice->hide();
    layout->addWidget(m_notice);
    layout->addWidget(m_pages, 1);
    setCentralWidget(whole);
    m_said = new QLabel(this);
    m_said->setObjectName(QStringLiteral("said"));
    statusBar()->addWidget(m_said, 1);
    statusBar()->setSizeGripEnabled(false);
}

QAction* MainWindow::add(const char* id, const std::function<void()>& call)
{
    QAction* a = makeAction(QString::fromLatin1(id), this);
    addAction(a);
    connect(a, &QAction::triggered, this, call);
    return a;
}

void MainWindow::makeActions()
{
    QMenu* recipe = m_menus->addMenu(tr("&Recipe"));
    recipe->setToolTipsVisible(true);
    recipe->addAction(add("new", [this] {
        if (mayLoseChanges()) m_session.newRecipe(), showWorkspace(0);
    }));
    recipe->addAction(add("open", [this] {
        if (!mayLoseChanges()) return;
        const QString path = QFileDialog::getOpenFileName(this, tr("Open recipe"), usualFolder(), kRecipeFilter,
                                                          nullptr, QFileDialog::DontUseNativeDialog);
        if (!path.isEmpty()) openRecipe(path);
    }));
    m_recent = recipe->addMenu(tr("Recent recipes"));
    m_recent->setObjectName(QStringLiteral("recentMenu"));
    auto* large = new LargeIcons;
    large->setParent(m_recent);
    m_recent->setStyle(large); // the reference can be told by its picture
    connect(m_recent, &QMenu::aboutToShow, this, &MainWindow::rebuildRecent);
    recipe->addAction(add("save", [this] { save(); }));
    recipe->addAction(add("saveWithNote", [this] { saveWithNote(); }));
    recipe->addAction(add("saveAs", [this] { saveAs(); }));
    makeVariantMenu(recipe->addMenu(tr("Variants of the part")));
    recipe->addAction(add("revisions", [this] {
        showWorkspace(0);
        RevisionsDialog(m_session, this).exec();
    }));
    recipe->addSeparator();
    recipe->addAction(add("addPictures", [this] {
        addPictures(QFileDialog::getOpenFileNames(this, tr("Add pictures"), usualFolder(), kPictureFilter, nullptr,
                                                  QFileDialog::DontUseNativeDialog));
    }));
    recipe->addAction(add("addFolder", [this] {
        const QString folder = QFileDialog::getExistingDirectory(this, tr("Add a folder of pictures"), usualFolder(),
                                                                 QFileDialog::DontUseNativeDialog);
        if (!folder.isEmpty()) addPictures({folder});
    }));
    recipe->addSeparator();
    recipe->addAction(add("quit", [this] { close(); }));

    QMenu* edit = m_menus->addMenu(tr("&Edit"));
    edit->setToolTipsVisible(true);
    QAction* undo = add("undo", [this] { m_session.undo(); });
    QAction* redo = add("redo", [this] { m_session.redo(); });
    edit->addAction(undo);
    edit->addAction(redo);
    connect(edit, &QMenu::aboutToShow, this, [this, undo, redo] {
        undo->setText(m_session.canUndo() ? tr("Undo %1").arg(m_session.undoText()) : tr("Undo"));
        redo->setText(m_session.canRedo() ? tr("Redo %1").arg(m_session.redoText()) : tr("Redo"));
        undo->setEnabled(m_session.canUndo()), redo->setEnabled(m_session.canRedo());
    });
    connect(edit, &QMenu::aboutToHide, this, [undo, redo] { undo->setEnabled(true), redo->setEnabled(true); });
    edit->addSeparator();
    edit->addAction(add("find", [this] {
        if (workspace() == 2) return m_records->focusText();
        showWorkspace(0);
        FindDialog dialog(m_session, *m_setup, findChildren<QAction*>(), this);
        connect(&dialog, &FindDialog::guideWanted, this, &MainWindow::showGuide);
        dialog.exec();
    }));
    edit->addSeparator();
    for (const char* id :
         {"takeReference", "takeEmpty",     "kinds",       "rename",    "useStep",       "reverse",
          "nextShape",     "leaveOut",      "copyStep",    "cutStep",   "pasteStep",     "repeatStep",
          "moveUp",        "moveDown",      "numberAnew",  "formula",   "measure",       "howCome",
          "objects",       "likeThis",      "notThis",     "nextFault", "previousFault", "placesFromObjects",
          "addPlace",      "savePlaces",    "loadPlaces",  "addSample", "addBareGround", "samples",
          "deleteStep",    "deleteReaders", "removeTrial", "setAside"})
        edit->addAction(m_setup->action(QString::fromLatin1(id)));
    edit->addSeparator();
    for (const char* id : {"labelGood", "labelRestGood", "labelBad", "labelOpen"})
        edit->addAction(m_setup->action(QString::fromLatin1(id)));
    edit->addSeparator();
    edit->addAction(add("calibrate", [this] { calibrate(); }));
    edit->addAction(add("convertLimits", [this] { m_session.convertLimits(); }));
    edit->addAction(add("checkDetails", [this] { checkDetails(); }));
    edit->addAction(add("proposeLimits", [this] { ProposalsDialog(m_session, this).exec(); }));
    edit->addAction(add("fitToLabels", [this] {
        const Step* s = m_session.draft() ? nullptr : m_session.selectedStep();
        if (!s || !m_session.selectedCheck() || inspect::settingsToFit(*s).empty())
            return say(tr("Choose a check whose step has settings to search"));
        FitDialog(m_session, s->id, m_session.selectedCheck()->output, this).exec();
    }));
    edit->addAction(add("repeatability", [this] { RepeatDialog(m_session, this).exec(); }));
    edit->addAction(add("review", [this] { showReview(); }));
    edit->addAction(add("nextDoubt", [this] {
        refreshReview();
        if (m_findings.empty()) return say(tr("Nothing doubtful was found"));
        goToDoubt((m_doubt + 1) % int(m_findings.size()));
    }));
    edit->addAction(add("outputs", [this] { OutputsDialog(m_session, this).exec(); }));
    edit->addAction(add("drawing", [this] { showDrawing({}); }));
    edit->addAction(add("everythingDrawn", [this] {
        if (auto ok = m_session.addEverythingDrawn(); !ok) say(QString::fromStdString(ok.error().text()), true);
    }));
    edit->addAction(add("trace", [this] {
        if (!m_session.recipe().calibrated()) return say(tr("A drawing is in mm: calibrate first  (Ctrl+K)"), true);
        TraceDialog(m_session, this).exec();
    }));
    edit->addAction(add("heights", [this] { HeightDialog(m_session, {}, this).exec(); }));
    edit->addAction(add("pictures", [this] { PicturesDialog(m_session, this).exec(); }));
    edit->addAction(add("robot", [this] { RobotDialog(m_session, this).exec(); }));
    edit->addAction(add("camera", [this] {
        if (m_run->running()) return say(tr("The line has the camera: stop it first  (F8)"));
        m_run->letGoOfSource();
        CameraDialog(m_session, m_simulated, m_data + QStringLiteral("/camera"), this).exec();
    }));
    edit->addAction(add("screen", [this] { ScreenDialog(m_session, this).exec(); }));
    edit->addAction(add("recipeSettings", [this] { RecipeDialog(m_session, this).exec(); }));

    QMenu* view = m_menus->addMenu(tr("&View"));
    view->setToolTipsVisible(true);
    for (const char* id : {"fit", "zoomIn", "zoomOut", "steady", "quarterTurn", "nextPicture", "contours",
                           "turningView", "difference", "loupe", "noSnap", "greyUnder", "bare", "taken", "allMarks",
                           "onlyFailed", "uncertainty", "freeLabels", "showReference"})
        view->addAction(m_setup->action(QString::fromLatin1(id)));
    QMenu* columns = view->addMenu(tr("Columns"));
    for (const char* id : {"unfoldItems", "byTaken", "byLabel", "byVerdict", "byName", "byShare", "showAll",
                           "showFailed", "showDisagreeing"})
        columns->addAction(m_setup->action(QString::fromLatin1(id)));
    view->addSeparator();
    for (const char* id : {"nextTrial", "previousTrial", "nextFailed", "nextDisagreeing", "nextItem"})
        view->addAction(m_setup->action(QString::fromLatin1(id)));
    view->addSeparator();
    view->addAction(m_setup->action(QStringLiteral("evidenceLarge")));
    view->addAction(m_setup->action(QStringLiteral("otherArrangement")));
    view->addAction(m_setup->action(QStringLiteral("sheetAlone")));
    view->addAction(m_setup->action(QStringLiteral("gridAlone")));
    QAction* dark = add("dark", [] {});
    dark->setCheckable(true);
    dark->setChecked(report::theme().dark);
    connect(dark, &QAction::toggled, this, [this](bool on) {
        report::useDarkTheme(on);
        QSettings().setValue(QStringLiteral("dark"), on);
        applyTheme(*qApp);
        m_setup->refreshTheme();
        for (QWidget* w : findChildren<QWidget*>()) w->update();
    });
    view->addAction(dark);

    QMenu* run = m_menus->addMenu(tr("R&un"));
    run->setToolTipsVisible(true);
    run->addAction(add("release", [this] { releaseRecipe(); }));
    run->addSeparator();
    run->addAction(add("start", [this] { showWorkspace(1), m_run->start(); }));
    run->addAction(add("takeOne", [this] { showWorkspace(1), m_run->takeOne(); }));
    run->addAction(add("stop", [this] { m_run->stop(); }));
    run->addSeparator();
    run->addAction(add("signIn", [this] { signInOrOut(); }));
    run->addAction(add("stationName", [this] {
        const auto name =
            askName(tr("Station"), tr("Name of this station; kept with every item."), m_run->stationName());
        if (name) m_run->setStationName(*name);
    }));
    run->addAction(add("recordsSetup", [this] { setUpRecords(); }));
    run->addAction(add("people", [this] { PeopleDialog(m_who, this).exec(); }));
    run->addAction(add("wholeScreen", [this] { setWholeScreen(!m_run->fullScreen()); }));
    m_engineerMenus = {recipe, edit, view};
    m_hints = new Hints(m_session, *m_setup, m_tabs[1], this);
    QMenu* help = m_menus->addMenu(tr("&Help"));
    help->addAction(add("firstSteps", [this] {
        showWorkspace(0);
        m_hints->again();
    }));
    help->addAction(add("helpForThis", [this] {
        const Step* s = m_session.selectedStep();
        const StepKind* kind = findKind(m_setup->sheet()->armedKind());
        if (!kind && s) kind = findKind(s->kind);
        QString page;
        if (workspace() == 0 && kind && (page = showHelp(*kind, this)).isEmpty()) return;
        showGuide(page); // nothing is chosen: all there is
    }));
    help->addAction(add("guidePages", [this] { showGuide(guidePages().front().file); }));
    help->addAction(add("guide", [this] { showGuide({}); }));
    add("setup", [this] { showWorkspace(0); });
    add("runPage", [this] { showWorkspace(1); });
    add("records", [this] { showWorkspace(2); });
    add("proofPage", [this] { showWorkspace(3); });
    rebuildRecent();
}

void MainWindow::checkDetails(const std::string& output)
{
    const Step* s = m_session.draft() ? nullptr : m_session.selectedStep();
    if (!s || s->checks.empty()) return say(tr("Choose a step with a check first"));
    CheckDialog(m_session, s->id, output.empty() ? m_session.selectedCheck()->output : output, this).exec();
}

// ---------------------------------------------------------------- the line
void MainWindow::releaseRecipe()
{
    if (!engineer()) return m_run->say(tr("Nothing is released yet, and an engineer has to"));
    ReleaseDialog dialog(m_session, *m_run, this);
    if (dialog.exec() != QDialog::Accepted) return;
    if (auto ok = m_run->release(dialog.by()); !ok) say(QString::fromStdString(ok.error().text()), true);
}

void MainWindow::refreshLine()
{
    const auto differences = m_run->differences();
    m_lineChip->setVisible(!differences.isEmpty());
    if (!differences.isEmpty()) m_lineChip->setText(tr("%1 not released").arg(differences.size()));
}

// ---------------------------------------------------------------- review
void MainWindow::refreshReview()
{
    const bool complete = m_session.pending() == 0;
    m_findings = inspect::review(m_session.recipe(), m_session.results());
    if (m_doubt >= int(m_findings.size())) m_doubt = -1;
    const bool nothing = m_session.recipe().steps.empty();
    m_reviewChip->setVisible(!nothing);
    m_reviewChip->setText(!complete            ? tr("review …")
                          : m_findings.empty() ? tr("review ✓")
                                               : tr("review %1").arg(m_findings.size()));
    if (m_review && m_review->isVisible()) m_review->setFindings(m_findings, complete);
}

void MainWindow::showReview()
{
    if (!m_review) {
        m_review = new ReviewDialog(m_session, this);
        connect(m_review, &ReviewDialog::wanted, this, &MainWindow::goToDoubt);
    }
    refreshReview();
    m_review->setFindings(m_findings, m_session.pending() == 0);
    m_review->show();
    m_review->raise();
    m_review->activateWindow();
}

void MainWindow::goToDoubt(int finding)
{
    if (finding < 0 || finding >= int(m_findings.size())) return;
    m_doubt = finding;
    const inspect::Finding f = m_findings[std::size_t(finding)];
    showWorkspace(0);
    if (f.trial >= 0) m_session.setShowReference(false), m_session.setTrial(f.trial);
    if (!f.step.empty()) m_session.select(f.step, f.output);
    say(tr("%1 of %2, %3: %4: %5")
            .arg(finding + 1)
            .arg(m_findings.size())
            .arg(QString::fromLatin1(inspect::title(f.doubt)), QString::fromStdString(f.subject),
                 QString::fromStdString(f.text)));
    if (m_review) m_review->choose(finding);
}

// ---------------------------------------------------------------- who
void MainWindow::signInOrOut()
{
    if (!m_who.needed()) return say(tr("Nobody is on file: everybody may everything. Run ▸ People… begins it"));
    if (m_who.role() != people::Role::Nobody) return m_who.signOut();
    SignInDialog(m_who, this).exec();
}

// While the window is locked nothing of the engineer's is there: neither to be seen, nor by key, drop or word.
void MainWindow::applyRights()
{
    const bool may = engineer();
    static const QStringList open{
        QStringLiteral("runPage"),        QStringLiteral("records"),     QStringLiteral("start"),
        QStringLiteral("takeOne"),        QStringLiteral("stop"),        QStringLiteral("signIn"),
        QStringLiteral("wholeScreen"),    QStringLiteral("guide"),       QStringLiteral("guidePages"),
        QStringLiteral("quit"),           QStringLiteral("wordBack"),    QStringLiteral("nextReject"),
        QStringLiteral("previousReject"), QStringLiteral("pictureLarge")};
    for (const auto& a : m_locked)
        if (a) a->setEnabled(true);
    m_locked.clear();
    for (QAction* a : findChildren<QAction*>()) {
        const bool people = a->objectName() == QLatin1String("people");
        const bool allowed = people ? m_who.may(people::Right::People) : may || open.contains(a->objectName());
        // Recent recipes and the like have no name; the menus that stay do have what they show.
        const bool stays =
            a->menu() && a->menu()->parent() == m_menus &&
            std::find(m_engineerMenus.begin(), m_engineerMenus.end(), a->menu()) == m_engineerMenus.end();
        if (allowed || stays || !a->isEnabled()) continue;
        a->setEnabled(false);
        m_locked.emplace_back(a);
    }
    for (QMenu* m : m_engineerMenus) m->menuAction()->setVisible(may), m->menuAction()->setEnabled(may);
    m_tabs[0]->setVisible(may);
    setAcceptDrops(may);
    m_records->setMayWrite(may);
    for (QWidget* chip : {m_trialChip, m_foreign, m_reviewChip, m_lineChip, m_calibrated, m_drawingChip})
        chip->setEnabled(may);
    for (QWidget* chip : {m_trialChip, m_calibrated}) chip->setVisible(may);
    if (may) {
        refreshHeader();
        refreshLine();
        refreshReview();
        if (m_recoveryWaits) offerRecovery();
        return;
    }
    for (QWidget* chip : {m_foreign, m_reviewChip, m_lineChip, m_drawingChip}) chip->hide();
    m_notice->hide();
    m_session.dropDraft();
    // What stands open is closed: its owner has gone.
    for (QWidget* w : QApplication::topLevelWidgets())
        if (auto* d = qobject_cast<QDialog*>(w);
            d && d->isVisible() && d->objectName() != QLatin1String("signInDialog"))
            d->reject();
    if (QWidget* popup = QApplication::activePopupWidget()) popup->close();
    if (workspace() == 0) showWorkspace(1);
    refreshHeader();
}

void MainWindow::setWholeScreen(bool on)
{
    if (on == m_run->fullScreen()) return;
    if (on) {
        showWorkspace(1);
        m_wasMaximized = isMaximized();
        m_header->hide();
        showFullScreen();
    } else {
        m_header->show();
        m_wasMaximized ? showMaximized() : showNormal();
    }
    m_run->setFullScreen(on);
    statusBar()->setVisible(workspace() != 1);
}

void MainWindow::showWorkspace(int index)
{
    if ((index == 0 || index == 3) && !engineer()) index = 1;
    if (index != 1 && m_run->fullScreen()) setWholeScreen(false);
    m_pages->setCurrentIndex(index);
    m_tabs[std::size_t(index)]->setChecked(true);
    if (m_hints) {
        if (index == 1) m_hints->done(Hints::kCount - 1);
        m_hints->setVisible(index == 0 && m_hints->current() < Hints::kCount);
    }
    if (index == 0) m_setup->sheet()->setFocus();
    if (index == 1) m_run->setFocus();
    if (index == 2) m_records->refresh();
    if (index == 3) m_proof->refresh(), m_proof->matrix()->setFocus();
    // There F3, F6 and F8 are the proof's.
    for (const char* id : {"nextDoubt", "start", "stop"})
        if (auto* other = findChild<QAction*>(QLatin1String(id)))
            other->setShortcut(index == 3 ? QKeySequence()
                                          : QKeySequence(QLatin1String(keyOf(QLatin1String(id)).keys)));
    statusBar()->setVisible(index != 1); // Run has a line of its own
}
int MainWindow::workspace() const { return m_pages->currentIndex(); }

void MainWindow::refreshHeader()
{
    const Recipe& r = m_session.recipe();
    const QString name = QString::fromStdString(r.name);
    QString text = tr("%1 · revision %2").arg(name).arg(r.revision);
    if (!r.variant.empty())
        text = tr("%1 · %2 · revision %3").arg(name, QString::fromStdString(r.variant)).arg(r.revision);
    if (m_session.modified()) text += tr(", edited");
    m_name->setText(text);
    m_name->setToolTip(text + QStringLiteral("\n") +
                       (m_session.path().isEmpty() ? tr("not saved yet") : m_session.path()));
    setWindowTitle(text + QStringLiteral(" · Dikkat"));
    const bool tight = width() < 1500; // chips give way before the title does
    m_calibrated->setText(r.mmPerPixel() > 0 ? (tight ? tr("%1 mm/px%2") : tr("calibrated %1 mm/px%2"))
                                                   .arg(QString::number(r.mmPerPixel(), 'g', 6),
                                                        r.calibration.bends() ? tr(", lens") : QString())
                                             : tr("not calibrated"));
    m_drawingChip->setVisible(!r.drawing.empty());
    m_drawingChip->setText(tight ? tr("drawing") : tr("drawing %1").arg(QString::fromStdString(r.drawing.origin)));
    const auto foreign = foreignLimits(r).size();
    m_foreign->setVisible(foreign > 0);
    m_foreign->setText(foreign == 1 ? tr("convert 1 limit") : tr("convert %1 limits").arg(foreign));
    int good = 0, bad = 0, open = 0;
    for (const Trial& t : r.trials) {
        const Label label = inspect::labelOf(t);
        (label == Label::Good ? good : label == Label::Bad ? bad : open)++;
    }
    m_trialChip->setText(r.trials.empty() ? tr("no trials")
                                          : (tight ? QString() : tr("%1 trials ").arg(r.trials.size())) +
                                                tr("○ %1 ● %2 □ %3").arg(good).arg(bad).arg(open));
}

void MainWindow::say(const QString& text, bool wrong)
{
    if (!wrong) {
        m_said->setText(text);
        m_saidTimer.start(8000);
        if (workspace() == 1) m_run->say(text);
        return;
    }
    while (QLayoutItem* i = m_noticeButtons->takeAt(0)) delete i->widget(), delete i;
    m_noticeText->setText(text);
    auto* ok = new QPushButton(tr("Close"), m_notice);
    ok->setObjectName(QStringLiteral("noticeClose"));
    connect(ok, &QPushButton::clicked, m_notice, &QWidget::hide);
    m_noticeButtons->addWidget(ok);
    m_notice->show();
}

// ---------------------------------------------------------------- files
bool MainWindow::openRecipe(const QString& path)
{
    if (!engineer()) return false;
    if (auto ok = m_session.open(QFileInfo(path).absoluteFilePath()); !ok) {
        say(tr("Not opened. %1").arg(QString::fromStdString(ok.error().text())), true);
        return false;
    }
    m_notice->hide();
    remember();
    showWorkspace(0);
    return true;
}

// Among the recent ones.
void MainWindow::remember()
{
    QSettings settings;
    QStringList recent = settings.value(QStringLiteral("recent")).toStringList();
    recent.removeAll(m_session.path());
    recent.prepend(m_session.path());
    settings.setValue(QStringLiteral("recent"), recent.mid(0, 10));
    keepThumbnail();
    rebuildRecent();
}

// A small picture of the reference, for the list of recent recipes.
QString MainWindow::thumbnailOf(const QString& path) const
{
    const QString folder = QStandardPaths::writableLocation(QStandardPaths::AppDataLocation);
    return folder + QStringLiteral("/recent/%1.png")
                        .arg(QString::fromLatin1(
                            QCryptographicHash::hash(path.toUtf8(), QCryptographicHash::Sha256).toHex().left(24)));
}

void MainWindow::keepThumbnail()
{
    const auto& reference = m_session.recipe().reference.capture;
    if (!reference || m_session.path().isEmpty()) return;
    // A fifth of a second for a large picture: not while the window opens.
    m_thumbnails.ask([capture = reference, file = thumbnailOf(m_session.path())]() -> LatestJob::Answer {
        QDir().mkpath(QFileInfo(file).absolutePath());
        report::toQImage(capture->first()).scaled(96, 64, Qt::KeepAspectRatio, Qt::SmoothTransformation).save(file);
        return {};
    });
}

void MainWindow::rebuildRecent()
{
    m_recent->clear();
    for (const QString& path : QSettings().value(QStringLiteral("recent")).toStringList()) {
        QAction* a = m_recent->addAction(QIcon(thumbnailOf(path)), path);
        a->setEnabled(QFileInfo::exists(path));
        connect(a, &QAction::triggered, this, [this, path] {
            if (mayLoseChanges()) openRecipe(path);
        });
    }
    m_recent->setEnabled(!m_recent->isEmpty());
}

void MainWindow::saveWithNote()
{
    const auto why =
        askName(tr("Save with a note"), tr("Why was the recipe changed? The note stands with its revision."), {});
    if (why) save(*why);
}

std::optional<QString> MainWindow::askName(const QString& title, const QString& words, const QString& now)
{
    QInputDialog dialog(this);
    dialog.setObjectName(QStringLiteral("nameDialog"));
    dialog.setWindowTitle(title);
    dialog.setLabelText(words);
    dialog.setTextValue(now);
    dialog.resize(480, dialog.sizeHint().height());
    if (dialog.exec() != QDialog::Accepted) return {};
    return dialog.textValue().trimmed();
}

// Those there are, then what can be done to them.
void MainWindow::makeVariantMenu(QMenu* menu)
{
    menu->setObjectName(QStringLiteral("variantMenu"));
    menu->setToolTipsVisible(true);
    const auto to = [this](const QString& name) {
        m_session.toVariant(tr("variant %1").arg(name),
                            [n = name.toStdString()](const Recipe& r) { return withVariant(r, n); });
    };
    QAction* fresh = add("newVariant", [this] {
        const auto name =
            askName(tr("New variant"), tr("Name of the new variant; it begins as a copy of this one."), {});
        if (!name) return;
        m_session.toVariant(tr("new variant %1").arg(*name),
                            [&](const Recipe& r) { return withNewVariant(r, name->toStdString()); });
    });
    QAction* next = add("nextVariant", [this, to] {
        const auto names = variantNames(m_session.recipe());
        if (names.size() < 2) return say(tr("The recipe has one variant only; Recipe ▸ Variants makes more"));
        const auto at = std::find(names.begin(), names.end(), m_session.recipe().variant);
        to(QString::fromStdString(at == names.end() || at + 1 == names.end() ? names.front() : *(at + 1)));
    });
    QAction* rename = add("renameVariant", [this] {
        const auto name = askName(tr("Rename variant"), tr("Name of the variant in work"),
                                  QString::fromStdString(m_session.recipe().variant));
        if (!name) return;
        m_session.toVariant(tr("rename variant"),
                            [&](const Recipe& r) { return withVariantNamed(r, name->toStdString()); });
    });
    QAction* drop = add("deleteVariant", [this] { m_session.toVariant(tr("delete variant"), withoutVariant); });
    connect(menu, &QMenu::aboutToShow, this, [this, menu, to, fresh, next, rename, drop] {
        menu->clear();
        for (const std::string& name : variantNames(m_session.recipe())) {
            QAction* a = menu->addAction(QString::fromStdString(name));
            a->setCheckable(true);
            a->setChecked(name == m_session.recipe().variant);
            connect(a, &QAction::triggered, this, [to, n = QString::fromStdString(name)] { to(n); });
        }
        menu->addSeparator();
        for (QAction* a : {fresh, next, rename, drop}) menu->addAction(a);
    });
    menu->addActions({fresh, next, rename, drop}); // so that the keys' owner is a menu from the start
}

bool MainWindow::save(const QString& why)
{
    if (m_session.path().isEmpty()) return saveAs();
    if (auto ok = m_session.saveTo(m_session.path(), why); !ok) {
        say(tr("Not saved. %1").arg(QString::fromStdString(ok.error().text())), true);
        return false;
    }
    say(tr("Saved as revision %1").arg(m_session.recipe().revision));
    return true;
}

// Where dialogs begin: beside the recipe, else beside its pictures; empty: wherever one was last.
QString MainWindow::usualFolder() const
{
    if (!m_session.path().isEmpty()) return QFileInfo(m_session.path()).absolutePath();
    for (const Trial& t : m_session.recipe().trials) {
        const auto inside = base::insideOf(t.picture);
        const QFileInfo file(QString::fromStdString(inside ? inside->archive : t.picture));
        if (file.exists()) return file.absolutePath();
    }
    return {};
}

bool MainWindow::saveAs()
{
    // A new recipe is called after the folder of its pictures.
    const QString folder = usualFolder().isEmpty() ? QDir::homePath() : usualFolder();
    QString name = QString::fromStdString(m_session.recipe().name);
    if (name == QStringLiteral("Untitled") && !usualFolder().isEmpty()) name = QFileInfo(folder).fileName();
    QFileDialog dialog(this, tr("Save recipe"),
                       m_session.path().isEmpty() ? folder + QStringLiteral("/") + name + QStringLiteral(".dikkat")
                                                  : m_session.path(),
                       kRecipeFilter);
    dialog.setOption(QFileDialog::DontUseNativeDialog);
    dialog.setObjectName(QStringLiteral("saveDialog"));
    dialog.setAcceptMode(QFileDialog::AcceptSave);
    dialog.setDefaultSuffix(QStringLiteral("dikkat"));
    if (dialog.exec() != QDialog::Accepted || dialog.selectedFiles().isEmpty()) return false;
    const QString path = dialog.selectedFiles().front();
    if (m_session.recipe().name == "Untitled")
        m_session.change(tr("name"), [&](Recipe& r) { r.name = QFileInfo(path).completeBaseName().toStdString(); });
    if (auto ok = m_session.saveTo(path); !ok) {
        say(tr("Not saved. %1").arg(QString::fromStdString(ok.error().text())), true);
        return false;
    }
    remember();
    say(tr("Saved as %1").arg(path));
    return true;
}

bool MainWindow::mayLoseChanges()
{
    if (!m_session.modified()) return true;
    QMessageBox box(QMessageBox::NoIcon, tr("Unsaved changes"),
                    tr("%1 has changes that are not saved.").arg(QString::fromStdString(m_session.recipe().name)),
                    QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, this);
    box.setObjectName(QStringLiteral("unsavedDialog"));
    const int answer = box.exec();
    if (answer == QMessageBox::Save) return save();
    if (answer == QMessageBox::Discard) m_session.forgetRecovery();
    return answer == QMessageBox::Discard;
}

void MainWindow::addPictures(const QStringList& paths)
{
    if (!engineer()) return say(tr("Sign in as engineer to open %1").arg(paths.value(0)), true);
    QStringList pictures;
    for (const QString& path : paths) {
        if (QFileInfo(path).isDir() && !QFileInfo::exists(path + QStringLiteral("/recipe.json"))) {
            auto found = station::ListSource::picturesIn(path.toStdString());
            if (!found) say(QString::fromStdString(found.error().text()), true);
            else
                for (const auto& p : *found) pictures << QString::fromStdString(p);
        } else if (image::looksLikePicture(path.toStdString())) {
            pictures << path;
        } else if (path.endsWith(QStringLiteral(".dxf"), Qt::CaseInsensitive)) {
            showWorkspace(0);
            QMetaObject::invokeMethod(
                this, [this, path] { showDrawing(path); }, Qt::QueuedConnection);
        } else if (path.endsWith(QLatin1String(image::kScaleEnding))) {
            continue; // belongs to the picture beside it
        } else if (path.endsWith(QStringLiteral(".dikkat")) || path.endsWith(QStringLiteral(".json")) ||
                   QFileInfo(path).isDir()) {
            if (mayLoseChanges()) openRecipe(path);
            return;
        } else {
            say(tr("%1 is neither a picture (.png .jpg .tif .ply .xyz) nor a drawing (.dxf) nor a recipe (.dikkat "
                   ".json)")
                    .arg(path),
                true);
        }
    }
    m_session.addTrials(pictures);
    // A point cloud needs a pitch before it can be seen at all.
    for (const QString& path : pictures) {
        const bool cloud = path.endsWith(QStringLiteral(".ply"), Qt::CaseInsensitive) ||
                           path.endsWith(QStringLiteral(".xyz"), Qt::CaseInsensitive);
        if (!cloud || !m_session.recipe().pictures.empty() ||
            QFileInfo::exists(QString::fromStdString(image::scaleFileOf(path.toStdString()))))
            continue;
        auto* dialog = new HeightDialog(m_session, path, this);
        dialog->setAttribute(Qt::WA_DeleteOnClose);
        dialog->open();
        break;
    }
}

void MainWindow::offerRecovery()
{
    m_recoveryWaits = !engineer(); // it is the engineer's work
    if (m_recoveryWaits) return;
    const auto found = Recovery::find();
    if (!found) return;
    say(tr("Unsaved work from %1 was found%2.")
            .arg(found->at, found->original.isEmpty() ? QString() : tr(" (%1)").arg(found->original)),
        true);
    while (QLayoutItem* i = m_noticeButtons->takeAt(0)) delete i->widget(), delete i;
    auto* restore = new QPushButton(tr("Restore"), m_notice);
    restore->setObjectName(QStringLiteral("recoveryRestore"));
    auto* discard = new QPushButton(tr("Discard"), m_notice);
    discard->setObjectName(QStringLiteral("recoveryDiscard"));
    m_noticeButtons->addWidget(restore);
    m_noticeButtons->addWidget(discard);
    connect(restore, &QPushButton::clicked, this, [this, f = *found] {
        m_notice->hide();
        if (!mayLoseChanges() || !openRecipe(f.file)) return;
        if (auto kept = m_session.restored(f.original)) Recovery::discard(f);
        else say(tr("Not kept for recovery: %1").arg(QString::fromStdString(kept.error().text())), true);
    });
    connect(discard, &QPushButton::clicked, this, [this, f = *found] {
        Recovery::discard(f);
        m_notice->hide();
    });
}

void MainWindow::changeEvent(QEvent* e)
{
    QMainWindow::changeEvent(e);
    if (e->type() == QEvent::ActivationChange && isActiveWindow()) m_session.lookForChangedPictures();
}

void MainWindow::resizeEvent(QResizeEvent* e)
{
    QMainWindow::resizeEvent(e);
    refreshHeader();
}

void MainWindow::closeEvent(QCloseEvent* e)
{
    // Whoever closes a locked window is not asked about somebody else's work: it is kept for recovery.
    if (engineer() && !mayLoseChanges()) return e->ignore();
    m_run->stop();
    QSettings settings;
    settings.setValue(QStringLiteral("geometry"), saveGeometry());
    m_setup->keepSizes(settings);
    m_records->keepSizes(settings);
    e->accept();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* e)
{
    if (e->mimeData()->hasUrls()) e->acceptProposedAction();
}
void MainWindow::dropEvent(QDropEvent* e)
{
    QStringList paths;
    for (const QUrl& url : e->mimeData()->urls())
        if (url.isLocalFile()) paths << url.toLocalFile();
    e->acceptProposedAction();
    addPictures(paths);
}

// ---------------------------------------------------------------- dialogs
void MainWindow::showDrawing(const QString& path)
{
    DrawingDialog dialog(m_session, this);
    if (!path.isEmpty()) dialog.read(path);
    dialog.exec();
}
void MainWindow::calibrate() { CalibrateDialog(m_session, this).exec(); }

void MainWindow::setUpRecords()
{
    const QString file = m_data + QStringLiteral("/records.json");
    RecordsSetupDialog dialog(m_run->recordsSetup(), m_run->logPath(), this);
    if (dialog.exec() != QDialog::Accepted) return;
    const RecordsSetup setup = dialog.setup();
    if (auto ok = setup.save(file); !ok) return say(QString::fromStdString(ok.error().text()), true);
    applyRecordsSetup(setup);
}
void MainWindow::applyRecordsSetup(const RecordsSetup& setup)
{
    m_run->setRecordsSetup(setup);
    m_records->setServer(setup.toServer ? setup.server.url(true) : QString());
}

void MainWindow::showGuide(const QString& page)
{
    if (!m_guide) m_guide = new GuideWindow(this);
    m_guide->showPage(page);
}

} // namespace desktop
