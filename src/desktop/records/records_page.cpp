#include "desktop/records/records_page.h"

#include "desktop/keys.h"
#include "desktop/records/again_dialog.h"
#include "desktop/records/cross_panels.h"
#include "desktop/records/distribution_view.h"
#include "desktop/records/events_dialog.h"
#include "desktop/records/records_grid.h"
#include "desktop/records/ribbon_view.h"
#include "desktop/records/run_chart.h"
#include "desktop/records/sentence_bar.h"
#include "recipe/history.h"
#include "recipe/recipe_file.h"
#include "report/record_report.h"
#include "report/theme.h"

#include <QAction>
#include <QButtonGroup>
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QMessageBox>
#include <QPushButton>
#include <QSettings>
#include <QToolButton>
#include <QVBoxLayout>

namespace desktop
{
using namespace records;

// What is read of one item, on the other thread.
class RecordsPage::Loader
{
public:
    std::shared_ptr<const SeenItem> load(const QString& path, long long id,
                                         const std::shared_ptr<const inspect::Prepared>& with)
    {
        auto out = std::make_shared<SeenItem>();
        out->id = id;
        const auto bad = [&](const base::Error& e) {
            out->ownWhy = out->againWhy = QString::fromStdString(e.message);
            close(); // a server that went away is asked by a new connection
            return out;
        };
        if (path != m_path) close();
        m_path = path;
        if (id == 0) return out;
        if (!m_log) {
            auto log = RecordLog::open(path);
            if (!log) return bad(log.error());
            m_log = std::move(*log);
        }
        auto row = m_log->item(id);
        if (!row) return bad(row.error());
        out->row = std::move(*row);
        auto values = m_log->values(id);
        if (!values) return bad(values.error());
        out->values = std::move(*values);
        // The same item again, with another recipe now: its own answer stands.
        if (m_last && m_last->id == id && m_last->own) out->own = m_last->own, out->ownRecipe = m_last->ownRecipe;
        else {
            const auto own = m_recipes.of(*m_log, out->row);
            if (!own) out->ownWhy = QString::fromStdString(own.error().message);
            else look(id, *own, out->ownRecipe, out->own, out->ownWhy);
        }
        if (with) look(id, with, out->againRecipe, out->again, out->againWhy);
        m_last = out;
        return out;
    }
    void close()
    {
        m_last.reset();
        m_log.reset();
    }

private:
    void look(long long id, const std::shared_ptr<const inspect::Prepared>& with,
              std::shared_ptr<const inspect::Prepared>& recipe, std::shared_ptr<const Again>& to, QString& why)
    {
        auto again = inspectAgain(*m_log, id, *with);
        recipe = with;
        if (again) to = std::make_shared<const Again>(std::move(*again));
        else why = QString::fromStdString(again.error().message);
    }
    QString m_path;
    std::unique_ptr<RecordLog> m_log;
    OwnRecipes m_recipes;
    std::shared_ptr<const SeenItem> m_last;
};

RecordsPage::RecordsPage(QString logPath, RecipeMaker recipe, QWidget* parent)
    : QWidget(parent), m_own(logPath), m_model(std::move(logPath), this), m_recipe(std::move(recipe)),
      m_loader(std::make_shared<Loader>()), m_job(this)
{
    setObjectName(QStringLiteral("recordsPage"));
    m_sentence = new SentenceBar(m_model, this);
    m_ribbon = new RibbonView(m_model, this);
    makePanels();
    m_hint = new QLabel(this);
    m_hint->setObjectName(QStringLiteral("recordsHint"));
    m_hint->setAlignment(Qt::AlignCenter);
    m_hint->setWordWrap(true);
    m_hint->setTextInteractionFlags(Qt::LinksAccessibleByMouse | Qt::LinksAccessibleByKeyboard);
    m_hint->setContentsMargins(40, 20, 40, 20);
    connect(m_hint, &QLabel::linkActivated, this, [this](const QString& link) {
        if (link == QLatin1String("run")) return emit runWanted();
        if (link == QLatin1String("back")) m_model.takeBack();
        Sentence s = m_model.sentence();
        if (link == QLatin1String("time")) s.time = Sentence::Time::Any;
        else if (link == QLatin1String("yesterday")) s.time = Sentence::Time::Yesterday;
        else if (link == QLatin1String("verdict")) s.words.verdict.reset();
        else if (link == QLatin1String("failed")) s.words.failed.reset();
        else if (link == QLatin1String("text")) s.words.text.clear();
        else if (link == QLatin1String("batch")) s.words.batch = QString();
        else if (link == QLatin1String("spans")) s.brushes.clear();
        else if (link == QLatin1String("all")) s = Sentence();
        m_model.say(std::move(s));
    });
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addWidget(m_sentence);
    layout->addWidget(m_ribbon);
    layout->addWidget(m_hint, 1);
    layout->addWidget(m_panels, 1);
    makeActions();
    // What is inspected meanwhile comes by itself.
    m_live.setInterval(2000);
    connect(&m_live, &QTimer::timeout, this, [this] {
        if (!m_model.busy()) m_model.refresh();
    });
    // A log nobody looked at yet takes a while, once.
    m_reading.setInterval(150);
    connect(&m_reading, &QTimer::timeout, this, [this] {
        if (m_model.answered()) m_reading.stop();
        else refreshHint();
    });
    connect(&m_model, &RecordsModel::changed, this, &RecordsPage::refreshHint);
    connect(&m_model, &RecordsModel::changed, this, [this] {
        const RecordsView& v = m_model.view();
        m_sheet->setSelected(v.check < 0 ? std::string() : v.columns->checks[std::size_t(v.check)].step.toStdString());
    });
    connect(&m_model, &RecordsModel::itemChosen, this, &RecordsPage::loadItem);
    refreshHint();
}

RecordsPage::~RecordsPage()
{
    // The log's connection belongs to the thread that opened it.
    m_job.ask([loader = m_loader]() -> LatestJob::Answer {
        loader->close();
        return {};
    });
    m_job.wait();
}

void RecordsPage::makePanels()
{
    m_panels = new CrossPanels(this);
    m_rows = new RecordRows(m_model, this);
    m_itemPanel = new QWidget(m_panels);
    m_sheet = new RecordSheet(m_itemPanel);
    m_chart = new RunChart(m_model, m_panels);
    m_distribution = new DistributionView(m_model, *m_chart, m_panels);
    m_heads = new RecordHeads(m_model, *m_rows, m_panels);
    m_cells = new RecordCells(m_model, *m_rows, m_panels);
    m_fails = new FailBars(m_model, *m_rows, m_panels);
    m_panels->setPanels({m_itemPanel, m_chart, m_distribution, m_heads, m_cells, m_fails});
    for (auto* panel : {static_cast<QWidget*>(m_chart), static_cast<QWidget*>(m_cells)}) panel->setMinimumWidth(200);
    connect(m_chart, &RunChart::pictureWanted, this, &RecordsPage::largePicture);
    connect(m_cells, &RecordCells::pictureWanted, this, &RecordsPage::largePicture);
    // As logged, or inspected again.
    auto* bar = new QWidget(m_itemPanel);
    auto* line = new QHBoxLayout(bar);
    line->setContentsMargins(6, 3, 6, 3);
    line->setSpacing(0);
    const auto button = [&](const char* name, const QString& text, const QString& tip) {
        auto* b = new QToolButton(bar);
        b->setObjectName(QLatin1String(name));
        b->setProperty("chip", true);
        b->setText(text);
        b->setToolTip(tip);
        b->setCheckable(true);
        b->setFocusPolicy(Qt::TabFocus);
        line->addWidget(b);
        return b;
    };
    m_asLogged =
        button("asLogged", tr("as logged"), tr("The item with its own recipe: what was said when it was inspected"));
    m_againButton = button(
        "inspectedAgain", tr("inspected again"),
        tr("The same picture with the recipe in work, beside what was logged; nothing logged changes  (Ctrl+Return)"));
    m_againButton->setPopupMode(QToolButton::MenuButtonPopup);
    auto* menu = new QMenu(m_againButton);
    menu->setObjectName(QStringLiteral("againMenu"));
    m_againButton->setMenu(menu);
    connect(menu, &QMenu::aboutToShow, this, &RecordsPage::chooseAgainRecipe);
    line->addStretch(1);
    m_asLogged->setChecked(true);
    connect(m_asLogged, &QToolButton::clicked, this, [this] { setAgain(false); });
    connect(m_againButton, &QToolButton::clicked, this, [this] { setAgain(true); });
    auto* panel = new QVBoxLayout(m_itemPanel);
    panel->setContentsMargins(0, 0, 0, 0);
    panel->setSpacing(0);
    panel->addWidget(bar);
    panel->addWidget(m_sheet, 1);
}

void RecordsPage::makeActions()
{
    const auto add = [&](const char* name, std::function<void()> act) {
        QAction* a = makeAction(QLatin1String(name), this);
        a->setShortcutContext(Qt::WidgetWithChildrenShortcut);
        connect(a, &QAction::triggered, this, std::move(act));
        addAction(a);
        return a;
    };
    add("inspectAgain", [this] { setAgain(!m_again); });
    m_allAgain = add("inspectAllAgain", [this] { inspectAllAgain(); });
    add("wordBack", [this] {
        if (m_panels->large()) return largePicture();
        m_model.takeBack();
    });
    add("nextReject", [this] { nextReject(1); });
    add("previousReject", [this] { nextReject(-1); });
    add("pictureLarge", [this] { largePicture(); });
    const auto button = [&](const char* name, const QString& text, const QString& tip) {
        auto* b = new QPushButton(text, m_sentence);
        b->setObjectName(QLatin1String(name));
        b->setToolTip(tip);
        m_sentence->line()->addWidget(b);
        return b;
    };
    m_place = new WordButton("placeWord", tr("Whose records"), m_sentence);
    m_place->setToolTip(tr("The log of this station, or what all stations sent to their server"));
    auto* places = new QMenu(m_place);
    places->addAction(tr("this station"), this, [this] { setPlace(false); })->setObjectName(QStringLiteral("placeOwn"));
    places->addAction(tr("the server, all stations"), this, [this] { setPlace(true); })
        ->setObjectName(QStringLiteral("placeServer"));
    m_place->setMenu(places);
    m_place->say(tr("this station"), false);
    m_place->setVisible(false);
    m_sentence->line()->insertWidget(1, m_place);
    auto* reports = button("report", tr("Report"), tr("Writes a PDF of the item in view, or of all the sentence says"));
    auto* kinds = new QMenu(reports);
    kinds->addAction(tr("Item in view…"), this, [this] { reportItem(); })->setObjectName(QStringLiteral("reportItem"));
    kinds->addAction(tr("All the sentence says…"), this, [this] { reportChosen(); })
        ->setObjectName(QStringLiteral("reportChosen"));
    kinds->addSeparator();
    QAction* letter = kinds->addAction(tr("On Letter instead of A4"), this, [this](bool on) {
        m_letter = on;
        QSettings().setValue(QStringLiteral("letterPaper"), on);
    });
    letter->setObjectName(QStringLiteral("letterPaper"));
    letter->setCheckable(true);
    letter->setChecked(m_letter = QSettings().value(QStringLiteral("letterPaper")).toBool());
    reports->setMenu(kinds);
    auto* files = button("exportRecords", tr("Export"),
                         tr("Writes what the sentence says: a table, or the pictures with their marks"));
    auto* forms = new QMenu(files);
    const auto form = [&](const char* name, const QString& text, std::function<void()> act) {
        forms->addAction(text, this, std::move(act))->setObjectName(QLatin1String(name));
    };
    form("tableItems", tr("CSV, one row an item…"), [this] { exportTable(TableForm::Items); });
    form("tableValues", tr("CSV, one row a value…"), [this] { exportTable(TableForm::Values); });
    form("tableJson", tr("JSON…"), [this] { exportTable(TableForm::Json); });
    form("exportPictures", tr("Pictures with their marks…"), [this] { exportPictures(); });
    files->setMenu(forms);
    m_writers = {reports, files, m_againButton};
    auto* events = button("showEvents", tr("Events…"),
                          tr("Releases, limits moved, verdicts overruled, signing in, faults: who, when, old and new"));
    connect(events, &QPushButton::clicked, this, [this] { EventsDialog(m_model.path(), this).exec(); });
}

void RecordsPage::setMayWrite(bool on)
{
    for (QWidget* w : m_writers) w->setEnabled(on);
    if (!on && m_again) setAgain(false);
}
void RecordsPage::setServer(const QString& url)
{
    if (url == m_server) return;
    m_server = url;
    m_place->setVisible(!url.isEmpty());
    if (m_model.path() != m_own) setPlace(!url.isEmpty());
}
void RecordsPage::setPlace(bool server)
{
    m_place->say(server ? tr("the server, all stations") : tr("this station"), server);
    m_item.reset();
    showItem();
    m_model.setPath(server ? m_server : m_own);
}
void RecordsPage::focusText()
{
    if (auto* text = m_sentence->findChild<QLineEdit*>(QStringLiteral("textFilter")))
        text->setFocus(), text->selectAll();
}
void RecordsPage::wait()
{
    m_model.wait();
    m_job.wait();
    QCoreApplication::sendPostedEvents(&m_job);
}
void RecordsPage::refresh() { m_model.refresh(); }
void RecordsPage::showEvent(QShowEvent*)
{
    m_live.start();
    m_reading.start();
}
void RecordsPage::hideEvent(QHideEvent*) { m_live.stop(); }

void RecordsPage::keepSizes(QSettings& settings) const
{
    const auto s = m_panels->sizes();
    settings.setValue(QStringLiteral("recordPanels"), QVariantList{s[0], s[1], s[2]});
}
void RecordsPage::restoreSizes(const QSettings& settings)
{
    const QVariantList s = settings.value(QStringLiteral("recordPanels")).toList();
    if (s.size() == 3) m_panels->setSizes({s[0].toInt(), s[1].toInt(), s[2].toInt()});
}

// ---------------------------------------------------------------- the item in view
std::shared_ptr<const inspect::Prepared> RecordsPage::againRecipe() { return m_other ? m_other : m_recipe(); }

void RecordsPage::loadItem()
{
    const long long id = m_model.itemId();
    const auto with = m_again ? againRecipe() : nullptr;
    m_job.ask([this, loader = m_loader, path = m_model.path(), id, with]() -> LatestJob::Answer {
        auto item = loader->load(path, id, with);
        return [this, item] {
            m_item = item;
            showItem();
        };
    });
}
void RecordsPage::showItem()
{
    m_sheet->show(m_item, m_again);
    m_heads->setItem(m_item ? m_item->values : std::vector<ValueRow>{}, m_again && m_item ? m_item->again : nullptr);
    m_heads->setRecipe(m_item ? m_item->ownRecipe : nullptr);
    std::optional<double> value;
    const RecordsView& v = m_model.view();
    if (m_again && m_item && m_item->again && v.check >= 0) {
        const CheckName& check = v.columns->checks[std::size_t(v.check)];
        for (const CheckAgain& c : m_item->again->checks)
            if (!check.list && QString::fromStdString(c.step) == check.step &&
                QString::fromStdString(c.output) == check.output && c.now.size() == 1)
                value = c.now.front();
    }
    m_chart->setAgain(value);
}

void RecordsPage::setAgain(bool on)
{
    if (on && !againRecipe()) {
        emit said(tr("The recipe in work cannot run yet: it cannot inspect anything again"));
        on = false;
    }
    m_again = on;
    m_asLogged->setChecked(!on), m_againButton->setChecked(on);
    loadItem();
}

// The recipe in work, any revision it keeps, or one of a file.
void RecordsPage::chooseAgainRecipe()
{
    QMenu* menu = m_againButton->menu();
    menu->clear();
    const auto take = [this](std::shared_ptr<const inspect::Prepared> with) {
        m_other = std::move(with);
        setAgain(true);
    };
    const auto now = m_recipe();
    QAction* work = menu->addAction(tr("with the recipe in work"), this, [take] { take(nullptr); });
    work->setCheckable(true), work->setChecked(!m_other), work->setEnabled(now != nullptr);
    const auto prepared = [this](base::Result<recipe::Recipe> r) -> std::shared_ptr<const inspect::Prepared> {
        if (r) {
            auto made = inspect::Prepared::make(std::move(*r));
            if (made) return std::make_shared<const inspect::Prepared>(std::move(*made));
            emit said(QString::fromStdString(made.error().text()));
        } else emit said(QString::fromStdString(r.error().text()));
        return nullptr;
    };
    if (now) {
        const auto& history = now->recipe().history;
        for (std::size_t i = history.size(); i > 0 && history.size() - i < 20; --i) {
            const auto revision = history[i - 1];
            menu->addAction(tr("with revision %1%2")
                                .arg(revision->number)
                                .arg(revision->why.empty()
                                         ? QString()
                                         : QStringLiteral(", ") + QString::fromStdString(revision->why)),
                            this, [take, prepared, revision] {
                                if (auto with = prepared(recipe::recipeOf(*revision))) take(std::move(with));
                            });
        }
    }
    menu->addSeparator();
    menu->addAction(m_allAgain);
    QAction* file = menu->addAction(tr("with a recipe of a file…"), this, [this, take, prepared] {
        const QString path =
            QFileDialog::getOpenFileName(this, tr("Recipe"), {}, tr("Recipes (*.dikkat *.json);;All files (*)"));
        if (path.isEmpty()) return;
        if (auto with = prepared(recipe::load(path.toStdString()))) take(std::move(with));
    });
    file->setEnabled(m_writers.front()->isEnabled());
}

void RecordsPage::inspectAllAgain()
{
    const auto with = againRecipe();
    if (!with) return emit said(tr("The recipe in work cannot run yet: it cannot inspect anything again"));
    const auto ids = chosenIds();
    if (ids.empty()) return emit said(tr("No item is chosen"));
    base::Watch watch;
    auto lines = watched(tr("Inspecting %1 items again …").arg(grouped((long long)(ids.size()))), watch,
                         [&] { return desktop::inspectAllAgain(m_model.path(), ids, *with, watch); });
    if (!lines) {
        if (lines.error().code != base::ErrorCode::Cancelled) emit said(QString::fromStdString(lines.error().text()));
        return;
    }
    auto* dialog = new AgainDialog(
        std::move(*lines),
        tr("%1, revision %2").arg(QString::fromStdString(with->recipe().name)).arg(with->recipe().revision), this);
    connect(dialog, &AgainDialog::wanted, this, [this](long long id) {
        const RecordsView& v = m_model.view();
        const auto row = v.columns->rowOfId(id);
        if (!row) return;
        const auto at = std::lower_bound(v.rows.begin(), v.rows.end(), *row);
        if (at != v.rows.end() && *at == *row) m_model.chooseItem(int(at - v.rows.begin()));
        if (!m_again) setAgain(true);
    });
    dialog->show();
}

void RecordsPage::largePicture()
{
    m_panels->setLarge(m_panels->large() ? nullptr : m_itemPanel);
    if (m_panels->large()) m_sheet->setFocus();
    m_sheet->fitPicture();
}

void RecordsPage::nextReject(int by)
{
    const RecordsView& v = m_model.view();
    for (int i = m_model.item() + by; i >= 0 && i < int(v.rows.size()); i += by) {
        const ItemVerdict verdict = v.columns->verdict(v.rows[std::size_t(i)]);
        if (verdict == ItemVerdict::Reject || verdict == ItemVerdict::Error) return m_model.chooseItem(i);
    }
    emit said(by > 0 ? tr("No reject after this one") : tr("No reject before this one"));
}

void RecordsPage::keyPressEvent(QKeyEvent* e)
{
    // Wherever the focus is, arrows go along the items and the checks.
    if (e->key() == Qt::Key_Left || e->key() == Qt::Key_Right || e->key() == Qt::Key_Home || e->key() == Qt::Key_End ||
        e->key() == Qt::Key_Up || e->key() == Qt::Key_Down) {
        if (!m_cells->hasFocus()) {
            QKeyEvent again(QEvent::KeyPress, e->key(), e->modifiers());
            QCoreApplication::sendEvent(m_cells, &again);
            return;
        }
    }
    QWidget::keyPressEvent(e);
}

// ---------------------------------------------------------------- nothing there
QString RecordsPage::hint() const { return m_hint->text(); }

void RecordsPage::refreshHint()
{
    const RecordsView& v = m_model.view();
    QString text;
    const auto link = [](const char* to, const QString& word) {
        return QStringLiteral("<a href='%1' style='color:%2'>%3</a>")
            .arg(QLatin1String(to), report::theme().datum.name(), word.toHtmlEscaped());
    };
    if (!v.error.isEmpty()) text = v.error.toHtmlEscaped();
    else if (!m_model.answered())
        text = m_model.share() > 0 ? tr("Reading the log … %1 %").arg(100 * m_model.share(), 0, 'f', 0)
                                   : tr("Reading the log …");
    else if (v.columns->items() == 0)
        text = tr("Nothing logged yet. %1 (Ctrl+2) inspects items; each one lands here.").arg(link("run", tr("Run")));
    else if (v.rows.empty()) {
        // Which word is in the way: how many there are without it.
        const Sentence& s = m_model.sentence();
        text = tr("No item: %1.").arg(m_sentence->text().toHtmlEscaped());
        QStringList ways;
        const auto without = [&](const char* to, const QString& word, const std::function<void(Sentence&)>& edit) {
            Sentence other = s;
            edit(other);
            const auto n = rowsOf(*v.columns, other.choice()).size();
            if (n > 0) ways << link(to, word + QStringLiteral(": ") + grouped((long long)(n)));
        };
        if (s.time == Sentence::Time::Today)
            without("yesterday", tr("yesterday instead"), [](Sentence& o) { o.time = Sentence::Time::Yesterday; });
        if (s.time != Sentence::Time::Any)
            without("time", tr("at any time"), [](Sentence& o) { o.time = Sentence::Time::Any; });
        if (s.words.verdict) without("verdict", tr("with any verdict"), [](Sentence& o) { o.words.verdict.reset(); });
        if (s.words.failed) without("failed", tr("whatever failed"), [](Sentence& o) { o.words.failed.reset(); });
        if (!s.words.batch.isNull())
            without("batch", tr("of any batch"), [](Sentence& o) { o.words.batch = QString(); });
        if (!s.words.text.isEmpty()) without("text", tr("without the text"), [](Sentence& o) { o.words.text.clear(); });
        if (!s.brushes.empty()) without("spans", tr("without the spans"), [](Sentence& o) { o.brushes.clear(); });
        if (ways.isEmpty()) ways << link("all", tr("all items: %1").arg(grouped((long long)(v.columns->items()))));
        text += QStringLiteral("<br><br>") + ways.join(QStringLiteral(" &nbsp;·&nbsp; ")) + QStringLiteral("<br><br>") +
                tr("%1 takes the last word back").arg(link("back", tr("Esc")));
    }
    m_hint->setText(text);
    m_hint->setVisible(!text.isEmpty());
    m_panels->setVisible(text.isEmpty());
    m_ribbon->setVisible(v.columns->items() > 0);
}

// ---------------------------------------------------------------- files
std::vector<long long> RecordsPage::chosenIds() const
{
    const RecordsView& v = const_cast<RecordsModel&>(m_model).view();
    std::vector<long long> ids;
    ids.reserve(v.rows.size());
    for (const Row r : v.rows) ids.push_back(v.columns->id(r));
    return ids;
}
QString RecordsPage::fileFor(const QString& what, const QString& filter, const QString& suffix)
{
    QString folder = QSettings().value(QStringLiteral("exports")).toString();
    if (folder.isEmpty() || !QFileInfo(folder).isDir()) folder = QDir::homePath();
    QFileDialog dialog(this, what, folder, filter);
    dialog.setObjectName(QStringLiteral("exportFile"));
    dialog.setAcceptMode(QFileDialog::AcceptSave);
    dialog.setDefaultSuffix(suffix);
    dialog.setOption(QFileDialog::DontUseNativeDialog);
    if (!dialog.exec() || dialog.selectedFiles().isEmpty()) return {};
    const QString path = dialog.selectedFiles().front();
    if (QFileInfo(QFileInfo(path).absolutePath()).isDir())
        QSettings().setValue(QStringLiteral("exports"), QFileInfo(path).absolutePath());
    return path;
}

void RecordsPage::exportTable(TableForm form)
{
    const bool asJson = form == TableForm::Json;
    const QString path =
        fileFor(tr("Table of what the sentence says"), asJson ? tr("JSON (*.json)") : tr("CSV (*.csv)"),
                asJson ? QStringLiteral("json") : QStringLiteral("csv"));
    if (path.isEmpty()) return;
    const auto ids = chosenIds();
    base::Watch watch;
    const auto ok = watched(tr("Writing %1 items …").arg(grouped((long long)(ids.size()))), watch,
                            [&] { return writeTable(m_model.path(), ids, form, path, &watch); });
    if (ok) emit said(tr("%1 items written to %2").arg(grouped((long long)(ids.size())), path));
    else if (ok.error().code != base::ErrorCode::Cancelled) emit said(QString::fromStdString(ok.error().text()));
}

void RecordsPage::reportItem()
{
    const long long id = m_model.itemId();
    if (id == 0) return emit said(tr("No item is chosen"));
    const QString path = fileFor(tr("Report of item %1").arg(id), tr("PDF (*.pdf)"), QStringLiteral("pdf"));
    if (path.isEmpty()) return;
    const auto ok = awake([&] {
        return report::writeItemReport(m_model.path(), id, path, m_letter ? report::Paper::Letter : report::Paper::A4);
    });
    emit said(ok ? tr("Item %1 written to %2").arg(id).arg(path) : QString::fromStdString(ok.error().text()));
}
void RecordsPage::reportChosen()
{
    const RecordsView& v = m_model.view();
    if (v.rows.empty()) return emit said(tr("No item is chosen"));
    const QString path =
        fileFor(tr("Report of %1 items").arg(grouped(v.counts.items)), tr("PDF (*.pdf)"), QStringLiteral("pdf"));
    if (path.isEmpty()) return;
    report::BatchReport r;
    const QString& batch = m_model.sentence().words.batch;
    r.heading = batch.isEmpty() ? tr("Report of %1 items").arg(grouped(v.counts.items)) : tr("Batch %1").arg(batch);
    r.sentence = m_sentence->text();
    r.kind = m_model.chartKind(), r.group = m_model.group();
    r.paper = m_letter ? report::Paper::Letter : report::Paper::A4;
    base::Watch watch;
    const auto columns = v.columns;
    const auto choice = v.choice;
    const auto ok = watched(tr("Writing the report …"), watch, [&] {
        return report::writeBatchReport(m_model.path(), *columns, choice, r, path, &watch);
    });
    if (ok) emit said(tr("%1 items written to %2").arg(grouped(v.counts.items), path));
    else if (ok.error().code != base::ErrorCode::Cancelled) emit said(QString::fromStdString(ok.error().text()));
}

void RecordsPage::exportPictures()
{
    const QString folder = QFileDialog::getExistingDirectory(this, tr("Folder for the pictures"),
                                                             QSettings().value(QStringLiteral("exports")).toString());
    if (folder.isEmpty()) return;
    QSettings().setValue(QStringLiteral("exports"), folder);
    const auto ids = chosenIds();
    base::Watch watch;
    struct Done {
        long long written = 0, missing = 0;
        QString error;
    };
    const Done done = watched(tr("Writing %1 pictures …").arg(grouped((long long)(ids.size()))), watch, [&] {
        Done d;
        const auto log = RecordLog::open(m_model.path());
        if (!log) return d.error = QString::fromStdString(log.error().text()), d;
        OwnRecipes own;
        for (const long long id : ids) {
            if (watch.cancel) break;
            watch.share = double(d.written + d.missing) / double(ids.size());
            const auto row = (*log)->item(id);
            if (!row) return d.error = QString::fromStdString(row.error().text()), d;
            const auto ok = report::writeItemPicture(
                **log, own, id,
                folder + QStringLiteral("/%1-%2.png").arg(id).arg(QFileInfo(row->picture).completeBaseName()));
            if (!ok && ok.error().code == base::ErrorCode::NotFound) {
                ++d.missing; // its picture was not kept
                continue;
            }
            if (!ok) return d.error = QString::fromStdString(ok.error().text()), d;
            ++d.written;
        }
        return d;
    });
    if (!done.error.isEmpty()) return emit said(done.error);
    QString text = tr("%1 pictures written to %2").arg(grouped(done.written), folder);
    if (done.missing > 0) text += tr("; %1 items have none: it was not kept").arg(grouped(done.missing));
    emit said(text);
}

} // namespace desktop
