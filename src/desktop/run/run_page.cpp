#include "desktop/run/run_page.h"

#include "camera/camera_source.h"
#include "control/outlets.h"
#include "desktop/latest_job.h"
#include "recipe/differences.h"
#include "recipe/history.h"
#include "recipe/recipe_file.h"
#include "recipe/soundness.h"
#include "report/theme.h"

#include <QComboBox>
#include <QDateTime>
#include <QFileDialog>
#include <QFileInfo>
#include <QInputDialog>
#include <QKeyEvent>
#include <QLineEdit>
#include <QSettings>
#include <QVBoxLayout>
#include <algorithm>

namespace desktop
{
namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
constexpr int kTape = 400;
constexpr std::size_t kPictures = 24; // items whose pictures are still in memory

QString localTime(const std::string& utc)
{
    return QDateTime::fromString(q(utc), Qt::ISODateWithMs).toLocalTime().toString(QStringLiteral("hh:mm:ss"));
}
// The item somebody wants to see first: the first one rejected.
int worstItem(const inspect::PictureResult& r)
{
    const auto it = std::find_if(r.items.begin(), r.items.end(), [](const auto& i) { return i.rejected(); });
    return it == r.items.end() ? 0 : int(it - r.items.begin());
}
} // namespace

RunPage::RunPage(Session& session, SourceMaker simulated, QString logPath, QWidget* parent)
    : QWidget(parent), m_session(session), m_simulated(std::move(simulated)), m_log(std::move(logPath)), m_bridge(m_log)
{
    setObjectName(QStringLiteral("runPage"));
    setFocusPolicy(Qt::StrongFocus);
    m_sheet = new RunSheet(this);
    m_ladder = new LadderView(this);
    m_band = new VerdictBand(this);
    m_grid = new GridView(*this, this);
    m_grid->setObjectName(QStringLiteral("tape"));
    m_grid->setHeadVisible(false);
    m_grid->setFollowLatest(true);
    m_grid->setMinimumHeight(130);
    m_grid->setFocusPolicy(Qt::NoFocus);

    auto* upper = new QHBoxLayout;
    upper->setSpacing(0);
    upper->addWidget(m_sheet, 64);
    upper->addWidget(m_ladder, 36);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addLayout(upper, 6);
    layout->addWidget(m_band);
    layout->addWidget(makeTotals());
    layout->addWidget(m_grid, 3);
    layout->addWidget(makeFeed());

    connect(&m_bridge, &LineBridge::logged, this, &RunPage::arrived);
    connect(&m_bridge, &LineBridge::runningChanged, this, [this](bool on) {
        m_start->setEnabled(!on);
        m_stop->setEnabled(on);
        m_source->setEnabled(!on);
        m_camera->setText(on ? tr("camera: %1").arg(m_source->currentText()) : tr("camera: stopped"));
    });
    connect(&m_bridge, &LineBridge::trouble, this, [this](const QString& what, const QString& message) {
        m_trouble->setText(what + QStringLiteral(": ") + message);
        m_trouble->setVisible(true);
    });
    connect(m_grid, &GridView::chosen, this, [this](int, int c) {
        if (c >= 0) pin(c);
    });
    m_bridge.line().setPause(700);
    // What was released runs on after the program was ended.
    if (QFileInfo::exists(m_log)) {
        const auto log = records::RecordLog::open(m_log);
        auto last = log ? (*log)->lastRelease() : base::passOn(log.error());
        if (last) m_released = *last;
        else m_trouble->setText(tr("records: what was released last cannot be read: %1").arg(q(last.error().text())));
    }
    putOnLine();
    showReleased();
}

RunPage::~RunPage() = default;

QWidget* RunPage::makeTotals()
{
    m_totalsRow = new QWidget(this);
    auto* totals = new QHBoxLayout(m_totalsRow);
    totals->setContentsMargins(16, 4, 12, 4);
    m_totalsText = new QLabel(m_totalsRow);
    m_totalsText->setObjectName(QStringLiteral("totalsText"));
    m_totalsText->setFont(report::uiFont(18, true));
    auto* anew = new QPushButton(tr("Start totals anew"), m_totalsRow);
    anew->setObjectName(QStringLiteral("resetTotals"));
    connect(anew, &QPushButton::clicked, this, [this] {
        m_tally.resetTotals();
        showTotals();
    });
    totals->addWidget(m_totalsText, 1);
    totals->addWidget(anew);
    m_totalsRow->hide();
    return m_totalsRow;
}

QWidget* RunPage::makeFeed()
{
    auto* feed = new QWidget(this);
    m_source = new QComboBox(feed);
    m_source->setObjectName(QStringLiteral("source"));
    m_source->setAccessibleName(tr("Source of pictures"));
    m_source->addItem(tr("Simulated station: reed plates"));
    m_source->addItem(tr("The trials, one after another"));
    m_source->addItem(tr("A folder of pictures…"));
    m_source->addItem(tr("A camera…"));
    m_source->setToolTip(tr("Where the pictures of the items come from."));
    m_keep = new QComboBox(feed);
    m_keep->setObjectName(QStringLiteral("keepPictures"));
    m_keep->setAccessibleName(tr("Pictures kept with the records"));
    m_keep->addItem(tr("keep no pictures"));
    m_keep->addItem(tr("keep rejects"));
    m_keep->addItem(tr("keep all pictures"));
    m_keep->setToolTip(tr("Pictures put aside beside the records, so that an item can be inspected again."));
    m_keep->setCurrentIndex(QSettings().value(QStringLiteral("run/keep"), 1).toInt());
    m_batch = new QLineEdit(feed);
    m_batch->setObjectName(QStringLiteral("batch"));
    m_batch->setPlaceholderText(tr("batch"));
    m_batch->setToolTip(tr("Name of the production lot; kept with every item."));
    m_batch->setMaximumWidth(150);
    const auto lamp = [&](const char* name) {
        auto* l = new QLabel(feed);
        l->setObjectName(QLatin1String(name));
        l->setFont(report::uiFont(13));
        return l;
    };
    m_camera = lamp("cameraLamp");
    m_records = lamp("recordsLamp");
    m_trouble = lamp("troubleLine");
    m_runs = lamp("runsLine");
    m_trouble->setWordWrap(true);
    m_camera->setText(tr("camera: not started"));
    m_records->setText(tr("records: %1").arg(QFileInfo(m_log).fileName()));
    m_records->setToolTip(m_log);

    auto* left = new QVBoxLayout;
    auto* sources = new QHBoxLayout;
    sources->addWidget(m_source, 1);
    sources->addWidget(m_keep);
    sources->addWidget(m_batch);
    left->addLayout(sources);
    left->addWidget(m_runs);
    auto* lamps = new QHBoxLayout;
    lamps->addWidget(m_camera);
    lamps->addSpacing(24);
    lamps->addWidget(m_records);
    lamps->addStretch(1);
    left->addLayout(lamps);
    left->addWidget(m_trouble);
    auto* buttons = new QHBoxLayout(feed);
    buttons->setContentsMargins(12, 8, 12, 8);
    buttons->setSpacing(8);
    buttons->addLayout(left, 1);
    buttons->addSpacing(16);
    const auto button = [&](const char* name, const QString& text, const QString& tip, void (RunPage::*call)()) {
        auto* b = new QPushButton(text, feed);
        b->setObjectName(QLatin1String(name));
        b->setMinimumHeight(56);
        b->setMinimumWidth(130);
        b->setFont(report::uiFont(17));
        b->setToolTip(tip);
        connect(b, &QPushButton::clicked, this, call);
        buttons->addWidget(b);
        return b;
    };
    m_start = button("startButton", tr("Start"), tr("Inspects items one after another  (F6)"), &RunPage::start);
    m_one = button("takeOneButton", tr("Take one"), tr("Inspects one item  (F7)"), &RunPage::takeOne);
    m_stop = button("stopButton", tr("Stop"), tr("Stops after the present item  (F8)"), &RunPage::stop);
    m_stop->setEnabled(false);
    connect(m_source, &QComboBox::activated, this, [this] { m_sourceIndex = -1; });
    connect(m_keep, &QComboBox::activated, this, [this](int index) {
        QSettings().setValue(QStringLiteral("run/keep"), index);
        putOnLine();
    });
    connect(m_batch, &QLineEdit::textChanged, this, [this] { putOnLine(); });
    return feed;
}

// ---------------------------------------------------------------- what runs
base::Status RunPage::release(const QString& by)
{
    // A draft is no part of the recipe.
    recipe::Recipe recipe = m_session.recipe();
    if (recipe.steps.empty())
        return base::fail(base::ErrorCode::InvalidArgument, "the recipe has no steps: nothing can be released");
    if (const auto wrong = recipe::unsound(recipe); !wrong.empty()) return base::passOn(wrong.front());
    if (auto ok = control::checkOutlets(recipe); !ok) return ok;
    if (m_released && m_released->identity != recipe::identity(recipe) && recipe.revision <= m_released->revision &&
        recipe.name == m_released->recipe().name)
        recipe.revision = m_released->revision + 1; // what runs is never two things under one number
    // Nor is what is saved and what is edited since.
    if (m_session.modified() && !recipe.history.empty() && recipe.history.back()->number == recipe.revision &&
        !(m_released && m_released->identity == recipe::identity(recipe)))
        ++recipe.revision;
    auto prepared = inspect::Prepared::make(std::move(recipe), m_session.prepared().get());
    if (!prepared) return base::passOn(prepared.error());
    auto made = records::release(std::make_shared<const inspect::Prepared>(std::move(*prepared)), by.toStdString());
    if (!made) return base::passOn(made.error());
    const auto name = [](const records::Release& r) {
        return q(r.recipe().name) + tr(" revision %1 · %2").arg(r.revision).arg(q(r.identity.substr(0, 12)));
    };
    m_session.setRevision((*made)->revision, by);
    auto log = records::RecordLog::open(m_log);
    const base::Status written =
        log ? (*log)->append(**made, m_released ? m_released->identity : std::string()) : base::passOn(log.error());
    // Those who are told change with the recipe; what waits for the others is told first.
    if (!m_released || m_released->recipe().outlets != (*made)->recipe().outlets) {
        control::ModbusOutput::Commands commands;
        commands.trigger = [line = &m_bridge.line()] { line->takeOne(); };
        (void)awake([&] {
            m_bridge.line().setOutputs(control::outputsOf((*made)->recipe(), commands));
            return true;
        });
    }
    m_released = *made;
    putOnLine();
    showReleased();
    emit released(tr("Released: %1").arg(name(*m_released)));
    if (!written) m_trouble->setText(tr("records: the release is not in the log: %1").arg(q(written.error().text())));
    return {};
}

QStringList RunPage::differences() const
{
    QStringList out;
    if (m_released)
        for (const std::string& d : recipe::differences(m_released->recipe(), m_session.recipe())) out << q(d);
    return out;
}

void RunPage::putOnLine()
{
    if (!m_released) return;
    auto line = std::make_shared<station::Line>();
    line->release = m_released;
    line->batch = m_batch->text().toStdString();
    line->keep = records::Keep(m_keep->currentIndex());
    line->pictures = (QFileInfo(m_log).absolutePath() + QStringLiteral("/pictures")).toStdString();
    m_bridge.line().setLine(std::move(line));
}

void RunPage::showReleased()
{
    if (!m_released) {
        m_runs->setText(tr("runs: nothing is released yet (Ctrl+Shift+R)"));
        return;
    }
    QString by = q(m_released->by);
    if (by.isEmpty()) by = tr("nobody named");
    m_runs->setText(tr("runs: %1 · revision %2 · released %3 by %4")
                        .arg(q(m_released->recipe().name))
                        .arg(m_released->revision)
                        .arg(QDateTime::fromString(q(m_released->at), Qt::ISODateWithMs)
                                 .toLocalTime()
                                 .toString(QStringLiteral("yyyy-MM-dd hh:mm")),
                             by));
}

// The one that answers, or one of several; the network is asked aside.
bool RunPage::chooseCamera()
{
    const auto there = awake([] { return camera::cameras(); });
    if (there.empty()) {
        m_trouble->setText(tr("No camera answers"));
        return false;
    }
    std::string id = there.front().id;
    if (there.size() > 1) {
        QStringList names;
        for (const camera::Found& f : there) names << q(f.id);
        bool ok = false;
        const QString chosen =
            QInputDialog::getItem(this, tr("Camera"), tr("Pictures come from"), names, 0, false, &ok);
        if (!ok) return false;
        id = chosen.toStdString();
    }
    auto source = awake([&] { return camera::CameraSource::open(id); });
    if (!source) {
        m_trouble->setText(q(source.error().text()));
        return false;
    }
    m_bridge.line().setSource(std::move(*source));
    return true;
}

bool RunPage::chooseSource()
{
    if (m_sourceIndex == m_source->currentIndex()) return true;
    const int wanted = m_source->currentIndex();
    if (wanted == 0) {
        m_bridge.line().setSource(m_simulated());
    } else if (wanted == 1) {
        std::vector<std::string> pictures;
        for (const auto& t : m_session.recipe().trials) pictures.push_back(t.picture);
        if (pictures.empty()) {
            m_trouble->setText(tr("There are no trials to feed"));
            return false;
        }
        m_bridge.line().setSource(std::make_shared<station::ListSource>("trials", std::move(pictures), true));
    } else if (wanted == 3) {
        if (!chooseCamera()) return false;
    } else {
        const QString folder = QFileDialog::getExistingDirectory(this, tr("Folder of pictures"), m_folder,
                                                                 QFileDialog::DontUseNativeDialog);
        if (folder.isEmpty()) return false;
        auto source = station::ListSource::folder(folder.toStdString(), station::ListSource::End::Stop);
        if (!source) {
            m_trouble->setText(q(source.error().text()));
            return false;
        }
        m_folder = folder;
        m_bridge.line().setSource(std::move(*source));
    }
    m_sourceIndex = wanted;
    m_trouble->clear();
    return true;
}

bool RunPage::ready()
{
    m_pinned = -1;
    if (!m_released) emit releaseWanted();
    if (!m_released) return false;
    return chooseSource();
}

void RunPage::start()
{
    if (ready()) m_bridge.line().start();
}
void RunPage::takeOne()
{
    if (!ready()) return;
    m_camera->setText(tr("camera: %1").arg(m_source->currentText()));
    m_bridge.line().takeOne();
}
void RunPage::stop() { m_bridge.line().stop(); }

// ---------------------------------------------------------------- what was inspected
void RunPage::arrived()
{
    const std::vector<station::Logged> items = m_bridge.take();
    if (items.empty()) return;
    for (const station::Logged& item : items) add(item);
    showTotals();
    m_records->setText(m_unsaved == 0 ? tr("records: %1 items saved").arg(m_saved)
                                      : tr("records: %1 items saved, %2 NOT saved").arg(m_saved).arg(m_unsaved));
    rebuildRows();
    m_grid->refresh();
    if (m_pinned < 0) pin(int(m_tape.size()) - 1);
    for (std::size_t i = 0; i < items.size(); ++i) emit itemLogged();
}

void RunPage::add(const station::Logged& logged)
{
    const inspect::PictureResult& result = logged.result();
    m_tally.add(logged);
    m_arrived += (long long)(result.items.size());
    (logged.saved ? m_saved : m_unsaved) += (long long)(result.items.size());
    // What was said of an earlier item is over when a later one is well.
    if (!result.warnings.empty()) m_trouble->setText(tr("beware: %1").arg(q(result.warnings.front())));
    else if (logged.saved && !result.error) m_trouble->clear();
    m_times.push_back(QDateTime::currentMSecsSinceEpoch());
    if (m_times.size() > 20) m_times.pop_front();
    m_tape.push_back({logged, m_arrived});
    if (logged.line().release->identity != m_seenOf) m_seen.clear();
    m_seenOf = logged.line().release->identity;
    for (auto& [key, seen] : m_seen) seen.latest = inspect::Verdict::Unjudged;
    for (const auto& i : result.items)
        for (const auto& answer : i.checks) {
            Seen& seen = m_seen[{answer.step, answer.output}];
            seen.latest = answer.verdict;
            for (const double v : answer.values)
                if (seen.ends.empty()) seen.ends = {v, v};
                else seen.ends = {std::min(seen.ends[0], v), std::max(seen.ends[1], v)};
        }
    if (m_tape.size() > kPictures) m_tape[m_tape.size() - kPictures - 1].item.letGoOfPicture();
    if (m_tape.size() > kTape) {
        m_tape.pop_front();
        if (m_pinned >= 0) --m_pinned;
    }
}

void RunPage::rebuildRows()
{
    // Every check of the recipe the latest item was taken under; columns of another recipe stay empty.
    m_rows.clear();
    const station::Logged& latest = m_tape.back().item;
    const recipe::Recipe& recipe = latest.line().release->recipe();
    for (const auto& s : recipe.steps)
        for (const auto& c : s.checks) {
            GridRow row;
            row.step = s.id;
            row.output = c.output;
            row.name = q(c.name);
            row.stepKind = recipe::findKind(s.kind);
            row.balloon = c.balloon ? QString::number(c.balloon) : QString();
            if (row.stepKind && row.stepKind->datum) {
                row.kind = RowKind::Datum;
                row.letter = q(s.letter);
            }
            const auto seen = m_seen.find({s.id, c.output});
            if (seen != m_seen.end()) row.verdict = seen->second.latest;
            const auto limits = inspect::limitsInValueUnit(recipe, s, c);
            tickRange(limits ? *limits : recipe::Limits{},
                      seen == m_seen.end() ? std::vector<double>{} : seen->second.ends, row.low, row.high);
            m_rows.push_back(row);
        }
}

void RunPage::showTotals()
{
    const auto release = m_tally.release();
    m_totalsRow->setVisible(release && !release->recipe().totals.empty());
    if (!release) return;
    QStringList all;
    const auto& totals = release->recipe().totals;
    for (std::size_t i = 0; i < totals.size(); ++i) {
        const bool any = i < m_tally.totals().sums().size();
        all << q(totals[i].name) + QStringLiteral("  ") +
                   q(base::toText(any ? m_tally.totals().sums()[i].value : 0, totals[i].unit)) +
                   (any && m_tally.totals().sums()[i].left
                        ? tr(" (%1 items left out)").arg(m_tally.totals().sums()[i].left)
                        : QString());
    }
    m_totalsText->setText(all.join(QStringLiteral("     ")));
}

void RunPage::pin(int column)
{
    m_pinned = column == int(m_tape.size()) - 1 ? -1 : column;
    m_item = worstItem(m_tape[std::size_t(column)].item.result());
    showPinned();
}

void RunPage::nextItem()
{
    if (m_tape.empty()) return;
    const auto& items = m_tape[std::size_t(m_pinned < 0 ? int(m_tape.size()) - 1 : m_pinned)].item.result().items;
    if (items.size() < 2) return;
    m_item = (m_item + 1) % int(items.size());
    showPinned();
}

void RunPage::keyPressEvent(QKeyEvent* e)
{
    if (e->key() == Qt::Key_N && e->modifiers() == Qt::NoModifier) return nextItem();
    QWidget::keyPressEvent(e);
}

void RunPage::showPinned()
{
    const bool present = m_pinned < 0;
    const int column = present ? int(m_tape.size()) - 1 : m_pinned;
    const station::Logged& item = m_tape[std::size_t(column)].item;
    const auto& items = item.result().items;
    m_sheet->show(item, m_item);
    const QString title =
        items.size() > 1 ? tr("item %1 of %2  (N: next)").arg(m_item + 1).arg(items.size()) : QString();
    m_ladder->show(items.empty() ? nullptr : &items[std::size_t(m_item)], title);
    const double span = m_times.size() > 1 ? double(m_times.back() - m_times.front()) / 60000.0 : 0;
    const auto& counts = m_tally.counts();
    m_band->show(&item.result(), {counts.items, counts.accepted, span > 0 ? double(m_times.size() - 1) / span : 0},
                 present);
    m_grid->setCurrent(-1, column);
}

// ---------------------------------------------------------------- the tape
GridColumn RunPage::column(int c) const
{
    const TapeItem& t = m_tape[std::size_t(c)];
    const records::Release& release = *t.item.line().release;
    GridColumn out;
    out.head = QString::number(t.number);
    out.answered = true;
    out.error = t.item.result().error.has_value();
    out.outcome = t.item.result().outcome();
    out.tip =
        tr("item %1 · %2 · %3").arg(t.number).arg(localTime(t.item.inspected.taken.at), q(t.item.result().picture));
    out.tip += QStringLiteral("\n") + tr("%1 revision %2").arg(q(release.recipe().name)).arg(release.revision);
    for (const auto& i : t.item.result().items)
        if (!i.accepted()) out.tip += QStringLiteral("\n") + q(i.sentence());
    return out;
}
GridCell RunPage::cell(int r, int c) const
{
    const GridRow& row = m_rows[std::size_t(r)];
    const station::Logged& item = m_tape[std::size_t(c)].item;
    if (item.line().release->identity != m_tape.back().item.line().release->identity) return {};
    return cellFor(&item.result(), row.step, row.output, row.low, row.high);
}
QString RunPage::verdictLine() const { return tr("Verdict"); }
QString RunPage::emptyHint() const { return tr("The latest items appear here, newest at the right."); }

} // namespace desktop
