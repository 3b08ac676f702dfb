#include "desktop/run/run_page.h"

#include "control/outlets.h"
#include "desktop/latest_job.h"
#include "desktop/run/line_dialogs.h"
#include "recipe/differences.h"
#include "recipe/history.h"
#include "recipe/recipe_file.h"
#include "recipe/soundness.h"
#include "recipe/variants.h"
#include "report/theme.h"

#include <QDateTime>
#include <QFileInfo>
#include <QInputDialog>
#include <QKeyEvent>
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

RunPage::RunPage(Session& session, SignedIn& who, SourceMaker simulated, QString logPath, QWidget* parent)
    : QWidget(parent), m_session(session), m_who(who), m_log(std::move(logPath)), m_bridge(m_log)
{
    setObjectName(QStringLiteral("runPage"));
    setFocusPolicy(Qt::StrongFocus);
    m_sheet = new RunSheet(this);
    m_faults = new FaultList(m_sheet);
    connect(m_faults, &FaultList::closed, m_faults, &QWidget::hide);
    connect(m_faults, &FaultList::led, this, [this](const inspect::Fault& f) { m_sheet->point(f); });
    connect(m_faults, &FaultList::decided, this, &RunPage::askFault);
    m_ladder = new LadderView(this);
    m_band = new VerdictBand(this);
    m_grid = new GridView(*this, this);
    m_grid->setObjectName(QStringLiteral("tape"));
    m_grid->setHeadVisible(false);
    m_grid->setFollowLatest(true);
    m_grid->setFocusPolicy(Qt::NoFocus);
    m_feed = new Feed(session, std::move(simulated), this);
    m_lamps = new Lamps(this);
    m_trouble = new QLabel(this);
    m_trouble->setObjectName(QStringLiteral("troubleLine"));
    m_trouble->setContentsMargins(12, 2, 12, 2);
    m_trouble->setWordWrap(true);
    m_trouble->hide();

    auto* upper = new QHBoxLayout;
    upper->setSpacing(0);
    upper->addWidget(m_sheet, 64);
    upper->addWidget(m_ladder, 36);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addLayout(upper, 1);
    layout->addWidget(m_band);
    layout->addWidget(makeTotals());
    layout->addWidget(m_grid);
    layout->addWidget(m_feed);
    layout->addWidget(m_lamps);
    layout->addWidget(m_trouble);
    layout->addWidget(makeBottom());

    connect(&m_bridge, &LineBridge::logged, this, &RunPage::arrived);
    connect(&m_bridge, &LineBridge::runningChanged, this, [this](bool on) {
        m_start->setEnabled(!on);
        m_stop->setEnabled(on);
        m_feed->setRunning(on);
        if (m_lamps->state(tr("camera")) != Lamps::State::Trouble || !on)
            m_lamps->set(tr("camera"), on ? Lamps::State::Well : Lamps::State::Off,
                         on ? m_feed->sourceWord() : tr("stopped"));
        note(on ? QStringLiteral("start") : QStringLiteral("stop"), m_feed->sourceWord());
    });
    connect(&m_bridge, &LineBridge::trouble, this, &RunPage::trouble);
    connect(&m_bridge, &LineBridge::over, this, &RunPage::over);
    connect(m_grid, &GridView::chosen, this, [this](int, int c) {
        if (c >= 0) pin(c);
    });
    connect(m_rejects, &RejectStrip::chosen, this, &RunPage::pinNumber);
    connect(m_feed, &Feed::said, this, &RunPage::say);
    connect(m_feed, &Feed::changed, this, [this] { putOnLine(); });
    connect(m_feed, &Feed::batchNamed, this, [this](const QString& before, const QString& now) {
        note(QStringLiteral("batch"), tr("batch"), before, now);
    });
    connect(m_feed, &Feed::sourceChosen, this, [this](const QString& words) {
        m_fed = true;
        m_lamps->set(tr("camera"), Lamps::State::Well, words);
        note(QStringLiteral("source"), words);
    });
    connect(m_feed, &Feed::takeWanted, this, &RunPage::takeOne);
    connect(&m_who, &SignedIn::changed, this, &RunPage::showRights);
    connect(
        &m_who, &SignedIn::happened, this,
        [this](const QString& what, const QString& subject, const QString& after) { note(what, subject, {}, after); });
    m_lamps->set(tr("camera"), Lamps::State::Off, tr("not started"));
    m_lamps->set(tr("records"), Lamps::State::Off, QFileInfo(m_log).fileName());
    // What was released runs on after the program was ended.
    if (QFileInfo::exists(m_log)) {
        const auto log = records::RecordLog::open(m_log);
        auto last = log ? (*log)->lastRelease() : base::passOn(log.error());
        if (last) m_released = *last;
        else say(tr("records: what was released last cannot be read: %1").arg(q(last.error().text())));
    }
    makeChoices();
    putOnLine();
    tellOutputs();
    showReleased();
    showRights();
    showCounts();
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
        if (!m_who.may(people::Right::Report)) return emit signInWanted();
        m_tally.resetTotals();
        note(QStringLiteral("totals anew"), tr("totals"), m_totalsText->text());
        showTotals();
    });
    totals->addWidget(m_totalsText, 1);
    totals->addWidget(anew);
    m_totalsRow->hide();
    return m_totalsRow;
}

QWidget* RunPage::makeBottom()
{
    auto* bottom = new QWidget(this);
    bottom->setFixedHeight(140);
    auto* row = new QHBoxLayout(bottom);
    row->setContentsMargins(4, 4, 10, 6);
    row->setSpacing(8);
    m_rejects = new RejectStrip(bottom);
    row->addWidget(m_rejects, 3);
    auto* middle = new QVBoxLayout;
    middle->setSpacing(4);
    m_counts = new QLabel(bottom);
    m_counts->setObjectName(QStringLiteral("countsText"));
    m_counts->setFont(report::uiFont(14, true));
    m_counts->setTextFormat(Qt::PlainText);
    middle->addWidget(m_counts);
    m_cycle = new CyclePlot(bottom);
    middle->addWidget(m_cycle, 1);
    row->addLayout(middle, 2);
    auto* buttons = new QGridLayout;
    buttons->setSpacing(6);
    int n = 0;
    const auto button = [&](const char* name, const QString& text, const QString& tip, auto call) {
        auto* b = new QPushButton(text, bottom);
        b->setObjectName(QLatin1String(name));
        b->setMinimumSize(104, 56);
        b->setFont(report::uiFont(15));
        b->setToolTip(tip);
        connect(b, &QPushButton::clicked, this, call);
        buttons->addWidget(b, n % 2, n / 2);
        ++n;
        return b;
    };
    // What is not always there stands first, so that no gap opens among the others.
    m_person = button("personButton", tr("Sign in"), tr("Who is at the screen  (F9)"), [this] { emit signInWanted(); });
    m_limits = button("limitsButton", tr("Limits"), tr("Limits that may be moved here, within their bounds  (L)"),
                      [this] { askLimits(); });
    m_start = button("startButton", tr("Start"), tr("Inspects items one after another  (F6)"), [this] { start(); });
    m_overrule = button("overruleButton", tr("Overrule"), tr("Your verdict beside this item's own, with a reason  (O)"),
                        [this] { askOverrule(); });
    m_one = button("takeOneButton", tr("Take one"), tr("Inspects one item  (F7)"), [this] { takeOne(); });
    m_anew =
        button("countAnew", tr("Count anew"), tr("Counts, totals and cycle times begin anew"), [this] { countAnew(); });
    m_stop = button("stopButton", tr("Stop"), tr("Stops after the present item  (F8)"), [this] { stop(); });
    button("fullScreenButton", tr("Whole screen"), tr("Run alone on the whole screen, or back  (Shift+F11)"),
           [this] { emit fullScreenWanted(!m_full); });
    m_stop->setEnabled(false);
    row->addLayout(buttons);
    return bottom;
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
    m_released = *made;
    (void)awake([this] { // others are taught, which takes its time
        makeChoices();
        return true;
    });
    tellOutputs(); // what waits for those before is told first
    putOnLine();
    showReleased();
    emit released(tr("Released: %1").arg(name(*m_released)));
    if (!written) say(tr("records: the release is not in the log: %1").arg(q(written.error().text())));
    return {};
}

QStringList RunPage::differences() const
{
    QStringList out;
    // A variant is compared with the same one, whichever a controller has chosen.
    auto running = m_released;
    for (const auto& one : m_choices)
        if (one && one->recipe().variant == m_session.recipe().variant) running = one;
    if (running)
        for (const std::string& d : recipe::differences(running->recipe(), m_session.recipe())) out << q(d);
    return out;
}

void RunPage::putOnLine()
{
    m_bridge.line().setPause(m_feed->pause());
    if (!m_released) return;
    auto line = std::make_shared<station::Line>();
    line->release = m_released;
    line->batch = m_feed->batch().toStdString();
    line->station = stationName().toStdString();
    line->keep = m_feed->keep();
    line->mostPictures = (long long)(m_recordsSetup.pictureGigabytes * 1e9);
    line->pictures = (QFileInfo(m_log).absolutePath() + QStringLiteral("/pictures")).toStdString();
    m_bridge.line().setLine(std::move(line));
}

void RunPage::setRecordsSetup(const RecordsSetup& setup)
{
    const bool same = m_forwarder && setup.toServer && setup.server.url(true) == m_recordsSetup.server.url(true);
    // Either may be at work; the window goes on painting meanwhile.
    const auto end = [](auto& one) {
        if (auto ending = std::exchange(one, nullptr))
            awake([&] {
                ending.reset();
                return true;
            });
    };
    if (!same) {
        end(m_forwarder);
        m_lamps->drop(tr("server"));
    }
    if (setup.toServer && !same) {
        m_lamps->set(tr("server"), Lamps::State::Off, setup.server.url());
        m_forwarder = std::make_unique<records::Forwarder>(
            m_log, setup.server, stationName(), [this](const records::Forwarder::State& state) {
                QMetaObject::invokeMethod(
                    this,
                    [this, state] {
                        if (!m_forwarder) return;
                        m_lamps->set(tr("server"), state.trouble.empty() ? Lamps::State::Well : Lamps::State::Trouble,
                                     state.trouble.empty()
                                         ? tr("has %1").arg(state.caughtUp ? tr("all records") : tr("most records"))
                                         : tr("records wait here for it: %1").arg(q(state.trouble)));
                    },
                    Qt::QueuedConnection);
            });
    }
    if (!(setup.reports == m_recordsSetup.reports) || !setup.reports.any()) {
        end(m_reports);
        m_lamps->drop(tr("reports"));
    }
    if (setup.reports.any() && !m_reports) m_reports = std::make_unique<report::AutoReports>(m_log, setup.reports);
    m_recordsSetup = setup;
    putOnLine();
}

void RunPage::makeChoices()
{
    std::vector<std::shared_ptr<const records::Release>> made;
    if (m_released) {
        const recipe::Recipe& r = m_released->recipe();
        const auto names = recipe::variantNames(r);
        if (names.empty()) made.push_back(m_released);
        for (const std::string& name : names) {
            if (name == r.variant) {
                made.push_back(m_released);
                continue;
            }
            made.emplace_back();
            auto other = recipe::withVariant(r, name);
            if (!other || !recipe::unsound(*other).empty()) continue;
            auto prepared = inspect::Prepared::make(std::move(*other));
            if (!prepared) continue;
            auto release =
                records::release(std::make_shared<const inspect::Prepared>(std::move(*prepared)), m_released->by);
            if (!release) continue;
            auto whole = std::make_shared<records::Release>(**release);
            whole->at = m_released->at, whole->revision = m_released->revision;
            made.back() = std::move(whole);
        }
    }
    const std::lock_guard lock(m_choosing);
    m_choices = std::move(made);
}

base::Status RunPage::choose(int number)
{
    std::shared_ptr<const records::Release> release;
    {
        const std::lock_guard lock(m_choosing);
        if (number >= 1 && std::size_t(number) <= m_choices.size()) release = m_choices[std::size_t(number - 1)];
    }
    if (!release) return base::fail(base::ErrorCode::NotFound, "there is no recipe " + std::to_string(number));
    const auto now = m_bridge.line().line();
    auto next = now ? std::make_shared<station::Line>(*now) : std::make_shared<station::Line>();
    next->release = release;
    m_bridge.line().setLine(std::move(next)); // from the next item on
    QMetaObject::invokeMethod(
        this, [this, number] { chosen(number); }, Qt::QueuedConnection);
    return {};
}

void RunPage::chosen(int number)
{
    if (number < 1 || std::size_t(number) > m_choices.size() || !m_choices[std::size_t(number - 1)]) return;
    m_released = m_choices[std::size_t(number - 1)];
    const records::EventRow event{{},
                                  QStringLiteral("controller"),
                                  QStringLiteral("chosen"),
                                  tr("recipe %1").arg(number),
                                  {},
                                  q(m_released->recipe().variant),
                                  0};
    const auto written = awake([&]() -> base::Status {
        auto log = records::RecordLog::open(m_log);
        if (!log) return base::passOn(log.error());
        return (*log)->append(*m_released, event);
    });
    if (!written) say(tr("records: the choice is not in the log: %1").arg(q(written.error().text())));
    putOnLine();
    showReleased();
    showRights();
    emit released(tr("Recipe %1 is on the line, chosen by a controller").arg(number));
}

// Those who are told change with the recipe.
void RunPage::tellOutputs()
{
    const std::vector<recipe::Outlet> wanted =
        m_released ? m_released->recipe().outlets : std::vector<recipe::Outlet>{};
    if (wanted == m_told) return;
    for (const recipe::Outlet& o : m_told) m_lamps->drop(q(o.name));
    m_told = wanted;
    control::ModbusOutput::Commands commands;
    // On the server's thread; the first one finds the source of last time.
    commands.trigger = [this] {
        if (m_fed) return m_bridge.line().takeOne();
        QMetaObject::invokeMethod(
            this,
            [this] {
                if (m_feed->choose(m_bridge.line())) m_bridge.line().takeOne();
            },
            Qt::QueuedConnection);
    };
    commands.choose = [this](int number) { return choose(number); };
    (void)awake([&] {
        m_bridge.line().setOutputs(control::outputsOf(m_released->recipe(), commands));
        return true;
    });
    for (const recipe::Outlet& o : m_told)
        if (o.inUse && m_lamps->state(q(o.name)) != Lamps::State::Trouble)
            m_lamps->set(q(o.name), Lamps::State::Well, tr("told"));
}

QString RunPage::stationName() const { return QSettings().value(QStringLiteral("run/station")).toString(); }
void RunPage::setStationName(const QString& name)
{
    if (name == stationName()) return;
    note(QStringLiteral("station"), tr("station"), stationName(), name);
    QSettings().setValue(QStringLiteral("run/station"), name);
    putOnLine();
}

void RunPage::showReleased()
{
    if (!m_released) {
        m_feed->setRuns(tr("runs: nothing is released yet (Ctrl+Shift+R)"));
        return;
    }
    QString by = q(m_released->by);
    if (by.isEmpty()) by = tr("nobody named");
    const std::string& variant = m_released->recipe().variant;
    m_feed->setRuns(tr("runs: %1 · revision %2 · released %3 by %4")
                        .arg(q(m_released->recipe().name + (variant.empty() ? "" : " · " + variant)))
                        .arg(m_released->revision)
                        .arg(QDateTime::fromString(q(m_released->at), Qt::ISODateWithMs)
                                 .toLocalTime()
                                 .toString(QStringLiteral("yyyy-MM-dd hh:mm")),
                             by));
}

bool RunPage::ready()
{
    m_pinned = -1;
    if (!m_released) emit releaseWanted();
    if (!m_released) return false;
    return m_feed->choose(m_bridge.line());
}

void RunPage::start()
{
    if (ready()) m_bridge.line().start();
}
void RunPage::takeOne()
{
    if (!ready()) return;
    m_bridge.line().takeOne();
}
void RunPage::stop() { m_bridge.line().stop(); }

void RunPage::say(const QString& text)
{
    m_trouble->setText(text);
    m_trouble->setVisible(!text.isEmpty());
}
void RunPage::unsay(const QString& text)
{
    if (m_trouble->text() == text) say({});
}
void RunPage::note(const QString& what, const QString& subject, const QString& before, const QString& after)
{
    m_bridge.line().note({{}, m_who.name(), what, subject, before, after, 0});
}

// ---------------------------------------------------------------- the world
void RunPage::trouble(const QString& what, const QString& message)
{
    if (what == QLatin1String("records"))
        return m_lamps->set(tr("records"), Lamps::State::Trouble, tr("NOT saved: %1").arg(message));
    m_lamps->set(what, Lamps::State::Trouble, message);
}
QString RunPage::savedWords() const
{
    return m_unsaved == 0 ? tr("%1 items saved").arg(m_saved)
                          : tr("%1 items saved, %2 were NOT").arg(m_saved).arg(m_unsaved);
}
void RunPage::over(const QString& what)
{
    if (what == QLatin1String("camera"))
        return m_lamps->set(what, running() ? Lamps::State::Well : Lamps::State::Off,
                            running() ? m_feed->sourceWord() : tr("stopped"));
    if (what == QLatin1String("records")) return m_lamps->set(what, Lamps::State::Well, savedWords());
    const bool told = std::any_of(m_told.begin(), m_told.end(), [&](const auto& o) { return q(o.name) == what; });
    if (told) m_lamps->set(what, Lamps::State::Well, tr("told"));
    else m_lamps->drop(what);
}

void RunPage::showRights()
{
    const bool engineer = m_who.may(people::Right::Engineer), named = m_who.may(people::Right::Report);
    m_feed->setRights(engineer, named);
    m_person->setVisible(m_who.needed());
    m_person->setText(m_who.role() == people::Role::Nobody ? tr("Sign in")
                                                           : tr("Sign out\n%1").arg(m_who.name().left(14)));
    m_limits->setVisible(!movable().empty());
}

void RunPage::setFullScreen(bool on)
{
    m_full = on;
    m_feed->setVisible(!on);
}

void RunPage::showCounts()
{
    const auto& c = m_tally.counts();
    const double span = m_times.size() > 1 ? double(m_times.back() - m_times.front()) / 60000.0 : 0;
    const auto share = [&](long long n) {
        return c.items ? QStringLiteral(" · %1 %").arg(100.0 * double(n) / double(c.items), 0, 'f', 1) : QString();
    };
    QStringList lines{
        tr("%1 items").arg(c.items) +
            (span > 0 ? tr(" · %1 a minute").arg(double(m_times.size() - 1) / span, 0, 'f', 0) : QString()),
        tr("%1 accepted").arg(c.accepted) + share(c.accepted), tr("%1 rejected").arg(c.rejected)};
    if (c.unjudged) lines.back() += tr(" · %1 unjudged").arg(c.unjudged);
    if (c.unreadable) lines.back() += tr(" · %1 unreadable").arg(c.unreadable);
    if (m_overruled) lines.back() += tr(" · %1 overruled").arg(m_overruled);
    m_counts->setText(lines.join(QLatin1Char('\n')));
}

void RunPage::countAnew()
{
    if (!m_who.may(people::Right::Report)) return emit signInWanted();
    note(QStringLiteral("count anew"), tr("counts"), m_counts->text().replace(QLatin1Char('\n'), QStringLiteral(", ")));
    m_tally = {};
    m_overruled = 0;
    m_cycle->clear();
    m_rejects->clear();
    m_times.clear();
    showTotals();
    showCounts();
    if (!m_tape.empty()) showPinned();
}

// ---------------------------------------------------------------- limits and verdicts by persons
std::vector<RunPage::Movable> RunPage::movable() const
{
    std::vector<Movable> out;
    if (!m_released) return out;
    const recipe::Recipe& r = m_released->recipe();
    for (const recipe::Step& s : r.steps)
        for (const recipe::Check& c : s.checks) {
            const auto limits = c.limits.resolved(r.toleranceClass);
            if (!limits) continue;
            const auto put = [&](bool upper, const std::optional<double>& now, const std::optional<recipe::Span>& may) {
                if (now && may)
                    out.push_back({s.id, c.output, q(c.name), QString::fromUtf8(base::symbol(c.limits.unit)), upper,
                                   *now, *may, base::decimals(c.limits.unit) + 1});
            };
            put(false, limits->lowest(), c.lowMay);
            put(true, limits->highest(), c.highMay);
        }
    return out;
}

base::Status RunPage::moveLimit(const Movable& limit, double value)
{
    using base::ErrorCode;
    if (!m_who.may(people::Right::Report)) return base::fail(ErrorCode::InvalidArgument, "sign in first");
    recipe::Recipe r = m_released->recipe();
    recipe::Step* s = r.find(limit.step);
    const auto it = s ? std::find_if(s->checks.begin(), s->checks.end(),
                                     [&](const recipe::Check& c) { return c.output == limit.output; })
                      : std::vector<recipe::Check>::iterator{};
    if (!s || it == s->checks.end())
        return base::fail(ErrorCode::NotFound, "no longer on the line", limit.name.toStdString());
    const auto& may = limit.upper ? it->highMay : it->lowMay;
    if (!may || !may->holds(value))
        return base::fail(ErrorCode::OutOfRange,
                          base::shortest(value) + " is outside what was released" +
                              (may ? ", " + base::shortest(may->from) + " .. " + base::shortest(may->to) : ""),
                          limit.name.toStdString());
    // A general tolerance is stated in numbers from now on.
    if (const auto stated = it->limits.resolved(r.toleranceClass)) it->limits = *stated, it->limits.general = {};
    limit.upper ? it->limits.setHighest(value) : it->limits.setLowest(value);
    if (auto ok = it->limits.check(); !ok) return ok;
    const auto made = awake([&]() -> base::Result<std::shared_ptr<const records::Release>> {
        auto prepared = inspect::Prepared::make(std::move(r), m_released->prepared.get());
        if (!prepared) return base::passOn(prepared.error());
        auto release =
            records::release(std::make_shared<const inspect::Prepared>(std::move(*prepared)), m_released->by);
        if (!release) return base::passOn(release.error());
        auto out = std::make_shared<records::Release>(**release);
        out->at = m_released->at;
        auto log = records::RecordLog::open(m_log);
        if (!log) return base::passOn(log.error());
        const QString unit = limit.unit.isEmpty() ? QString() : QStringLiteral(" ") + limit.unit;
        const auto text = [&](double v) { return q(base::shortest(v)) + unit; };
        const auto written = (*log)->append(
            *out, records::EventRow{{},
                                    m_who.name(),
                                    QStringLiteral("limit"),
                                    limit.name + (limit.upper ? tr(", upper limit") : tr(", lower limit")),
                                    text(limit.now),
                                    text(value),
                                    0});
        if (!written) return base::passOn(written.error());
        return std::shared_ptr<const records::Release>(std::move(out));
    });
    if (!made) return base::passOn(made.error());
    {
        const std::lock_guard lock(m_choosing);
        std::replace(m_choices.begin(), m_choices.end(), m_released, *made);
    }
    m_released = *made;
    putOnLine();
    showRights();
    emit released(tr("%1: the %2 limit is %3 %4 from the next item on")
                      .arg(limit.name, limit.upper ? tr("upper") : tr("lower"), q(base::shortest(value)), limit.unit));
    return {};
}

void RunPage::askLimits()
{
    if (movable().empty()) return say(tr("The recipe on the line has no limit that may be moved here"));
    if (!m_who.may(people::Right::Report)) return emit signInWanted();
    LimitsDialog(*this, this).exec();
}

RunPage::TapeItem* RunPage::inView()
{
    if (m_tape.empty()) return nullptr;
    return &m_tape[std::size_t(m_pinned < 0 ? int(m_tape.size()) - 1 : m_pinned)];
}

// Of the item in view; 0: it is not in the records.
long long RunPage::recordInView()
{
    const TapeItem* item = inView();
    return item && std::size_t(m_item) < item->item.records.size() ? item->item.records[std::size_t(m_item)] : 0;
}

base::Status RunPage::overrule(inspect::Outcome outcome, const QString& why)
{
    return overrule(recordInView(), outcome, why);
}

base::Status RunPage::overrule(long long record, inspect::Outcome outcome, const QString& why)
{
    if (!m_who.may(people::Right::Report)) return base::fail(base::ErrorCode::InvalidArgument, "sign in first");
    if (why.trimmed().isEmpty()) return base::fail(base::ErrorCode::InvalidArgument, "a reason is needed");
    if (record == 0) return base::fail(base::ErrorCode::NotFound, "this item is not in the records");
    const QString verdict = QLatin1String(inspect::name(outcome)), by = m_who.name();
    const auto ok = awake([&]() -> base::Status {
        auto log = records::RecordLog::open(m_log);
        if (!log) return base::passOn(log.error());
        return (*log)->overrule(record, verdict, by, why.trimmed());
    });
    if (!ok) return ok;
    // The tape may have moved on meanwhile.
    for (TapeItem& item : m_tape)
        for (std::size_t i = 0; i < item.item.records.size(); ++i)
            if (item.item.records[i] == record) {
                m_overruled += item.overruled.count(i) == 0;
                item.overruled[i] = tr("overruled: %1 by %2: %3").arg(verdict, by, why.trimmed());
            }
    showCounts();
    showPinned();
    return {};
}

void RunPage::askOverrule()
{
    const TapeItem* item = inView();
    if (!item) return say(tr("There is no item to overrule yet"));
    if (!m_who.may(people::Right::Report)) return emit signInWanted();
    // The item asked about stays in view.
    if (m_pinned < 0) m_pinned = int(m_tape.size()) - 1, showPinned();
    const auto& items = item->item.result().items;
    if (items.empty()) return say(tr("A picture that could not be read has no verdict to overrule"));
    const long long record = recordInView();
    OverruleDialog dialog(items[std::size_t(m_item)], this);
    if (dialog.exec() != QDialog::Accepted) return;
    const auto ok = overrule(record, dialog.outcome(), dialog.why());
    say(ok ? QString() : tr("Not overruled: %1").arg(q(ok.error().message)));
}

// ---------------------------------------------------------------- what was inspected
void RunPage::arrived()
{
    const std::vector<station::Logged> items = m_bridge.take();
    if (items.empty()) return;
    for (const station::Logged& item : items) {
        add(item);
        for (const long long id : item.records)
            if (m_reports) m_reports->logged(id);
    }
    if (m_forwarder) m_forwarder->wake();
    if (m_reports && !m_reports->trouble().empty())
        m_lamps->set(tr("reports"), Lamps::State::Trouble, q(m_reports->trouble()));
    showTotals();
    showCounts();
    if (m_lamps->state(tr("records")) != Lamps::State::Trouble)
        m_lamps->set(tr("records"), Lamps::State::Well, savedWords());
    m_feed->refresh();
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
    m_cycle->add(logged.milliseconds);
    // What was said of an earlier item is over when a later one is well.
    if (!result.warnings.empty()) say(tr("beware: %1").arg(q(result.warnings.front())));
    else if (logged.saved && !result.error) say({});
    if (result.rejected()) m_rejects->add(logged, m_arrived - (long long)(result.items.size()) + 1);
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
        // What is looked at stays in view until it leaves the tape; then the oldest there is does.
        if (m_pinned > 0) --m_pinned;
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
    joinRows(latest.line().release->identity);
}

// What failed on the tape in view has a row, most often first; the others join into one.
void RunPage::joinRows(const std::string& identity)
{
    constexpr std::size_t inSight = 60;
    std::map<std::pair<std::string, std::string>, int> out;
    for (std::size_t c = m_tape.size() - std::min(inSight, m_tape.size()); c < m_tape.size(); ++c)
        if (m_tape[c].item.line().release->identity == identity)
            for (const auto& item : m_tape[c].item.result().items)
                for (const auto& check : item.checks)
                    if (check.verdict == inspect::Verdict::Fail || check.verdict == inspect::Verdict::NotMeasured)
                        ++out[{check.step, check.output}];
    m_joined.clear();
    std::vector<GridRow> own;
    GridRow joined;
    for (const GridRow& row : m_rows) {
        if (out.count({row.step, row.output})) {
            own.push_back(row);
            continue;
        }
        if (m_joined.empty()) joined = row;
        m_joined.push_back({row.step, row.output});
    }
    if (m_joined.size() < 2) return;
    std::stable_sort(own.begin(), own.end(), [&](const GridRow& a, const GridRow& b) {
        return out[{a.step, a.output}] > out[{b.step, b.output}];
    });
    GridRow all;
    all.name = own.empty() ? tr("all %1 checks").arg(m_joined.size()) : tr("%1 other checks").arg(m_joined.size());
    all.verdict = inspect::Verdict::Pass;
    own.push_back(all);
    m_rows = std::move(own);
}

void RunPage::resizeEvent(QResizeEvent* e)
{
    QWidget::resizeEvent(e);
    m_band->setFixedHeight(std::clamp(int(0.112 * window()->height()), 96, 150));
    m_grid->setFixedHeight(std::clamp(int(0.155 * window()->height()), 110, 170));
}

void RunPage::showTotals()
{
    const auto release = m_tally.release();
    m_totalsRow->setVisible(release && release->recipe().screen.totals && !release->recipe().totals.empty());
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

// The item that bears this number on the screen, while it is still on the tape.
void RunPage::pinNumber(long long number)
{
    for (std::size_t c = 0; c < m_tape.size(); ++c) {
        const long long last = m_tape[c].number,
                        count = std::max<long long>(1, (long long)(m_tape[c].item.result().items.size()));
        if (number > last || number <= last - count) continue;
        pin(int(c));
        m_pinned = int(c); // also when it is the latest: it stays in view while others come
        m_item = int(number - (last - count) - 1);
        return showPinned();
    }
    say(tr("Item %1 is no longer on the tape; Records (Ctrl+3) has it").arg(number));
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
    if (e->modifiers() == Qt::NoModifier) {
        const int last = int(m_tape.size()) - 1, at = m_pinned < 0 ? last : m_pinned;
        switch (e->key()) {
        case Qt::Key_N: return nextItem();
        case Qt::Key_L: return askLimits();
        case Qt::Key_O: return askOverrule();
        case Qt::Key_Period: return walkFaults(1);
        case Qt::Key_Comma: return walkFaults(-1);
        case Qt::Key_Left:
            if (at > 0) pin(at - 1);
            return;
        case Qt::Key_Right:
            if (at < last) pin(at + 1);
            return;
        case Qt::Key_Escape:
        case Qt::Key_End:
            if (e->key() == Qt::Key_Escape && m_pinned < 0 && m_full) return emit fullScreenWanted(false);
            if (last >= 0) pin(last);
            return;
        default: break;
        }
    }
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
    if (items.empty()) m_ladder->showNothing();
    else m_ladder->show(items[std::size_t(m_item)], item.line().release->recipe(), title);
    const double span = m_times.size() > 1 ? double(m_times.back() - m_times.front()) / 60000.0 : 0;
    const auto& counts = m_tally.counts();
    const TapeItem& shown = m_tape[std::size_t(column)];
    const long long number = items.empty() ? 0 : shown.number - (long long)(items.size()) + m_item + 1;
    const auto said = shown.overruled.find(std::size_t(m_item));
    m_band->show(&item.result(), number, m_item,
                 {counts.items, counts.accepted, span > 0 ? double(m_times.size() - 1) / span : 0}, present,
                 said == shown.overruled.end() ? QString() : said->second);
    const recipe::Screen& screen = item.line().release->recipe().screen;
    m_cycle->setVisible(screen.cycle), m_rejects->setVisible(screen.rejects);
    m_rejects->setChosen(present ? 0 : number);
    m_grid->setCurrent(-1, column);
    m_sheet->point({});
    refreshFaults();
}

void RunPage::walkFaults(int by)
{
    if (!inView()) return;
    const bool opened = !m_faults->isHidden();
    if (m_pinned < 0) m_pinned = int(m_tape.size()) - 1, showPinned(); // the item that is looked at stays
    m_faults->setVisible(true);
    refreshFaults();
    m_faults->walk(opened ? by : 0);
}

void RunPage::refreshFaults()
{
    const TapeItem* shown = inView();
    if (m_faults->isHidden() || !shown) return;
    const auto& items = shown->item.result().items;
    const bool there = std::size_t(m_item) < items.size();
    const long long record = recordInView();
    m_faults->show(tr("item %1").arg(shown->number),
                   there ? inspect::faultsOf(items[std::size_t(m_item)]) : std::vector<inspect::Fault>(),
                   m_decided.count(record) ? m_decided.at(record) : std::map<std::string, FaultDecision>());
    const int rows = std::clamp(int(m_faults->faults().size()), 1, 5), high = 40 + 26 * rows;
    m_faults->setGeometry(8, m_sheet->height() - 8 - high, std::clamp(m_sheet->width() - 40, 200, 520), high);
    m_faults->raise();
}

void RunPage::askFault(const inspect::Fault& fault, bool confirmed)
{
    if (!m_who.may(people::Right::Report)) return emit signInWanted();
    QString why;
    if (!confirmed) {
        bool said = false;
        why = QInputDialog::getText(this, tr("Overrule"),
                                    tr("Why is %1 %2 no fault?").arg(q(fault.number), q(fault.name)), QLineEdit::Normal,
                                    {}, &said);
        if (!said) return;
    }
    if (auto ok = decideFault(fault, confirmed, why); !ok) say(tr("Not said: %1").arg(q(ok.error().text())));
}

base::Status RunPage::decideFault(const inspect::Fault& fault, bool confirmed, const QString& why)
{
    const long long record = recordInView();
    if (!m_who.may(people::Right::Report)) return base::fail(base::ErrorCode::InvalidArgument, "sign in first");
    if (!confirmed && why.trimmed().isEmpty())
        return base::fail(base::ErrorCode::InvalidArgument, "a reason is needed");
    if (record == 0) return base::fail(base::ErrorCode::NotFound, "this item is not in the records");
    records::EventRow event;
    event.by = m_who.name();
    event.what = confirmed ? QStringLiteral("fault confirmed") : QStringLiteral("fault overruled");
    event.subject = tr("item %1: %2 %3").arg(record).arg(q(fault.number), q(fault.name));
    event.before = q(fault.detail), event.after = why.trimmed();
    const auto ok = awake([&]() -> base::Status {
        auto log = records::RecordLog::open(m_log);
        if (!log) return base::passOn(log.error());
        return (*log)->append(event);
    });
    if (!ok) return ok;
    FaultDecision d;
    d.confirmed = confirmed, d.why = event.after, d.by = event.by;
    m_decided[record][fault.said()] = d;
    refreshFaults();
    m_faults->walk(1);
    return {};
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
    if (row.step.empty()) return joinedCell(item.result());
    return cellFor(&item.result(), row.step, row.output, row.low, row.high);
}
GridCell RunPage::joinedCell(const inspect::PictureResult& result) const
{
    GridCell cell;
    if (result.error) return cell;
    for (const auto& item : result.items)
        for (const auto& [step, output] : m_joined) {
            const auto* check = item.check(step, output);
            if (!check) continue;
            const bool worse =
                check->verdict == inspect::Verdict::Fail ||
                (check->verdict == inspect::Verdict::NotMeasured && cell.verdict != inspect::Verdict::Fail) ||
                !cell.asked;
            if (worse) cell.verdict = check->verdict;
            cell.asked = true;
        }
    cell.text = tr("%1 checks together").arg(m_joined.size());
    return cell;
}
QString RunPage::verdictLine() const { return tr("Verdict"); }
QString RunPage::emptyHint() const { return tr("The latest items appear here, newest at the right."); }

} // namespace desktop
