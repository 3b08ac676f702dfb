#include "desktop/run/run_page.h"

#include "base/files.h"
#include "records/csv.h"
#include "report/sheet_painter.h"

#include <QComboBox>
#include <QDateTime>
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QLineEdit>
#include <QPainter>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

namespace desktop
{
using inspect::Outcome;
using inspect::Verdict;
using report::theme;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
constexpr int kTape = 400;
// Capitals of far text: readable from two metres.
int farSize(const QWidget* w) { return std::clamp(w->window()->height() / 18, 30, 60); }
} // namespace

// ---------------------------------------------------------------- sheet
RunSheet::RunSheet(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("runSheet"));
    setAccessibleName(tr("Picture of the item"));
    setMinimumSize(300, 200);
}

void RunSheet::show(std::shared_ptr<const inspect::Prepared> prepared, const station::RunItem& item)
{
    m_prepared = std::move(prepared);
    m_item = item;
    m_picture = report::toQImage(item.capture->shown());
    update();
}

void RunSheet::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    p.fillRect(rect(), theme().dark ? QColor("#10141A") : QColor("#E9E6DD"));
    if (m_picture.isNull()) {
        p.setFont(report::uiFont(15));
        p.setPen(theme().second);
        p.drawText(rect().adjusted(24, 24, -24, -24), Qt::AlignCenter | Qt::TextWordWrap,
                   tr("No item yet\nStart (F6) feeds items one after another, Take one (F7) a single one"));
        return;
    }
    const double k = std::min((width() - 12.0) / m_picture.width(), (height() - 12.0) / m_picture.height());
    const QTransform t(k, 0, 0, k, (width() - k * m_picture.width()) / 2, (height() - k * m_picture.height()) / 2);
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    p.drawImage(t.mapRect(QRectF(m_picture.rect())), m_picture);
    report::SheetScene scene{&m_prepared->recipe(), m_item.result.get(), 0, {}, false, QSizeF(m_picture.size())};
    report::paintSheet(p, scene, t, QRectF(rect()));
}

// ---------------------------------------------------------------- values
LadderView::LadderView(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("ladder"));
    setAccessibleName(tr("Values between their limits"));
    setMinimumWidth(320);
}

void LadderView::show(const inspect::ItemResult* item)
{
    m_rows.clear();
    m_others = 0;
    m_has = item != nullptr;
    if (item) {
        m_rows = item->checks;
        // Fails, not measured, near, then the recipe's order; eight at most.
        const auto rank = [](const inspect::CheckResult& c) {
            return c.verdict == Verdict::Fail ? 0 : c.verdict == Verdict::NotMeasured ? 1 : c.share && *c.share >= 0.8 ? 2 : 3;
        };
        std::stable_sort(m_rows.begin(), m_rows.end(), [&](const auto& a, const auto& b) { return rank(a) < rank(b); });
        m_othersOut = 0;
        if (m_rows.size() > 8) {
            m_others = int(m_rows.size()) - 8;
            m_othersOut = int(std::count_if(m_rows.begin() + 8, m_rows.end(), [](const auto& c) { return c.verdict != Verdict::Pass; }));
            m_rows.resize(8);
        }
    }
    update();
}

void LadderView::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    const report::Theme& th = theme();
    p.fillRect(rect(), th.paper);
    p.setRenderHint(QPainter::Antialiasing);
    if (m_rows.empty()) {
        p.setFont(report::uiFont(13));
        p.setPen(th.second);
        p.drawText(rect(), Qt::AlignCenter, m_has ? tr("The recipe judges nothing yet") : tr("Values appear with the first item"));
        return;
    }
    const double row = std::min(50.0, (height() - (m_others ? 30.0 : 6.0)) / double(m_rows.size()));
    const double left = 0.62 * width(), right = width() - 34, span = right - left;
    for (std::size_t i = 0; i < m_rows.size(); ++i) {
        const auto& c = m_rows[i];
        const double top = 4 + double(i) * row, mid = top + row / 2;
        const QColor colour = th.of(c.verdict);
        if (c.balloon) report::paintBalloon(p, QPointF(20, mid), 11, QString::number(c.balloon), colour, th.paper);
        p.setFont(report::uiFont(15));
        p.setPen(th.ink);
        const double valueRight = left - 14;
        p.setFont(report::uiFont(17, true));
        const QString value = c.verdict == Verdict::NotMeasured ? tr("not measured") : q(c.valueText());
        const double valueWidth = p.fontMetrics().horizontalAdvance(value);
        p.setPen(colour);
        p.drawText(QRectF(0, top, valueRight, row), Qt::AlignVCenter | Qt::AlignRight, value);
        p.setFont(report::uiFont(15));
        p.setPen(th.ink);
        const double room = valueRight - valueWidth - 50;
        p.drawText(QRectF(40, top, room, row), Qt::AlignVCenter, p.fontMetrics().elidedText(q(c.name), Qt::ElideRight, int(room)));
        p.setPen(QPen(th.hair, 1));
        p.drawLine(QPointF(8, top + row), QPointF(width() - 8, top + row));
        const QRectF bar(left, mid - 8, span, 16);
        if (c.verdict == Verdict::NotMeasured) {
            report::hatch(p, bar, th.notMeasured);
            continue;
        }
        if (!c.low && !c.high) {
            p.setFont(report::uiFont(12));
            p.setPen(th.second);
            p.drawText(bar, Qt::AlignVCenter, tr("no limits"));
            continue;
        }
        // Limits stand in line for all rows; 15 % beyond either side, what lies further is held at the end with an arrow.
        const double inset = span * 0.15 / 1.3, l = left + inset, r = right - inset;
        p.fillRect(QRectF(l, bar.top(), r - l, bar.height()), th.passGround);
        p.setPen(QPen(th.pass, 2));
        if (c.low) p.drawLine(QPointF(l, bar.top() - 3), QPointF(l, bar.bottom() + 3));
        if (c.high) p.drawLine(QPointF(r, bar.top() - 3), QPointF(r, bar.bottom() + 3));
        recipe::Limits limits;
        limits.low = c.low, limits.high = c.high;
        double low = 0, high = 1;
        tickRange(limits, c.values, low, high);
        for (const double v : c.values) {
            const double at = (v - low) / (high - low), x = l + at * (r - l);
            const bool out = (c.low && v < *c.low) || (c.high && v > *c.high);
            const QColor tick = out ? th.fail : th.pass;
            if (x < left || x > right) {
                const double end = x < left ? left : right, s = x < left ? -1 : 1;
                p.setPen(QPen(th.fail, 3));
                p.drawLine(QPointF(end - 12 * s, mid), QPointF(end + 8 * s, mid));
                p.drawLine(QPointF(end + 8 * s, mid), QPointF(end + 1 * s, mid - 6));
                p.drawLine(QPointF(end + 8 * s, mid), QPointF(end + 1 * s, mid + 6));
            } else if (c.share && *c.share >= 0.8 && !out) {
                p.setPen(QPen(tick, 1.6));
                p.setBrush(Qt::NoBrush);
                p.drawRect(QRectF(x - 3, bar.top() - 1, 6, bar.height() + 2));
            } else {
                p.fillRect(QRectF(x - (c.list ? 1 : 2.5), bar.top() - 1, c.list ? 2 : 5, bar.height() + 2), tick);
            }
        }
    }
    if (m_others) {
        p.setFont(report::uiFont(13));
        p.setPen(th.second);
        p.drawText(QRectF(20, height() - 26, width() - 30, 22), Qt::AlignVCenter, m_othersOut == 0 ? tr("%1 others pass").arg(m_others) : tr("%1 others, %2 of them do not pass").arg(m_others).arg(m_othersOut));
    }
}

// ---------------------------------------------------------------- verdict
VerdictBand::VerdictBand(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("verdictBand"));
    setMinimumHeight(96);
    setMaximumHeight(130);
}

void VerdictBand::show(const inspect::PictureResult* result, long long items, long long accepted, double perMinute, bool present)
{
    m_items = items, m_accepted = accepted, m_rate = perMinute, m_present = present;
    m_word.clear(), m_sentence.clear(), m_second.clear();
    if (result) {
        m_outcome = result->outcome();
        m_word = m_outcome == Outcome::Accept ? tr("ACCEPT") : m_outcome == Outcome::Reject ? tr("REJECT") : tr("UNJUDGED");
        for (const auto& item : result->items) // the recipe's own words
            if (item.outcome == m_outcome && !item.word.empty()) m_word = q(item.word);
        m_measured = false;
        QStringList more;
        for (const auto& item : result->items) {
            for (const auto& c : item.checks)
                if (c.verdict == Verdict::Fail) {
                    m_measured = true;
                    const QString text = (c.balloon ? QString::number(c.balloon) + QStringLiteral(" ") : QString()) +
                                         (c.fault.empty() ? QString() : q(c.fault) + QStringLiteral(" · ")) + q(c.name) + QStringLiteral(" ") +
                                         q(c.valueText());
                    if (m_sentence.isEmpty()) {
                        m_sentence = text;
                        if (!c.reason.empty()) more << q(c.reason);
                    } else {
                        more << text;
                    }
                }
            if (m_sentence.isEmpty() && item.rejected()) m_sentence = q(item.sentence());
        }
        const bool all = std::all_of(result->items.begin(), result->items.end(), [](const auto& item) {
            return std::none_of(item.checks.begin(), item.checks.end(),
                                [](const auto& c) { return c.verdict == Verdict::Fail || c.verdict == Verdict::NotMeasured; });
        });
        if (m_outcome == Outcome::Accept) m_sentence = all ? tr("all checks pass") : tr("accepted by the recipe's rule"), m_measured = true;
        if (m_outcome == Outcome::Unjudged) m_sentence = tr("no check has limits: nothing was judged"), m_measured = true;
        m_second = more.join(QStringLiteral(" · "));
    }
    setAccessibleName(m_word + QStringLiteral(" ") + m_sentence);
    update();
}

QColor VerdictBand::outcomeColour() const
{
    return m_outcome == Outcome::Accept ? theme().pass : m_outcome == Outcome::Reject ? theme().fail : theme().ink;
}

void VerdictBand::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    const report::Theme& th = theme();
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), th.paper);
    p.setPen(QPen(th.ink, 2));
    p.drawLine(0, 1, width(), 1);
    p.drawLine(0, height() - 1, width(), height() - 1);
    const int far = farSize(this);
    const QRectF stamp(0, 2, 6.1 * far, height() - 3);
    if (!m_word.isEmpty()) {
        const bool reject = m_outcome == Outcome::Reject;
        const QColor colour = outcomeColour();
        if (reject && m_measured) p.fillRect(stamp, colour);
        if (reject && !m_measured) report::hatch(p, stamp, th.notMeasured, 6);
        if (!reject || !m_measured) {
            p.setPen(QPen(colour, 3));
            p.setBrush(!reject ? QBrush(Qt::NoBrush) : QBrush(th.paper));
            p.drawRect(!reject ? stamp.adjusted(8, 8, -8, -8) : stamp.adjusted(16, 14, -16, -14));
        }
        p.setFont(report::sheetFont(far));
        p.setPen(reject && m_measured ? th.paper : colour);
        p.drawText(stamp, Qt::AlignCenter, m_word);
    }
    const double counts = 210;
    const QRectF text(stamp.right() + 18, 6, width() - stamp.right() - counts - 30, height() - 12);
    if (m_word.isEmpty()) {
        p.setFont(report::uiFont(15));
        p.setPen(th.second);
        p.drawText(text, Qt::AlignVCenter, tr("waiting for the first item"));
    } else {
        // The sentence shrinks before it is cut.
        double px = far;
        p.setFont(report::sheetFont(px));
        while (px > 18 && p.fontMetrics().horizontalAdvance(m_sentence) > text.width()) p.setFont(report::sheetFont(px -= 2));
        p.setPen(outcomeColour());
        p.drawText(text.adjusted(0, 0, 0, -26), Qt::AlignVCenter | Qt::AlignLeft,
                   p.fontMetrics().elidedText(m_sentence, Qt::ElideRight, int(text.width())));
        p.setFont(report::uiFont(14));
        p.setPen(th.second);
        const QString second = m_present ? m_second : tr("this is not the present item: Start or click the last column to go on");
        p.drawText(QRectF(text.left(), text.bottom() - 26, text.width(), 24), Qt::AlignVCenter,
                   p.fontMetrics().elidedText(second, Qt::ElideRight, int(text.width())));
    }
    const QRectF right(width() - counts, 8, counts - 16, height() - 16);
    p.setPen(QPen(th.rule, 1));
    p.drawLine(QPointF(right.left() - 10, 8), QPointF(right.left() - 10, height() - 8));
    const auto line = [&](int i, const QString& name, const QString& value) {
        const QRectF r(right.left(), right.top() + i * right.height() / 3, right.width(), right.height() / 3);
        p.setFont(report::uiFont(14));
        p.setPen(th.second);
        p.drawText(r, Qt::AlignVCenter | Qt::AlignLeft, name);
        p.setFont(report::uiFont(15, true));
        p.setPen(th.ink);
        p.drawText(r, Qt::AlignVCenter | Qt::AlignRight, value);
    };
    line(0, tr("items"), QString::number(m_items));
    line(1, tr("accepted"),
         m_items ? tr("%1 · %2 %").arg(m_accepted).arg(100.0 * double(m_accepted) / double(m_items), 0, 'f', 1) : QStringLiteral("–"));
    line(2, tr("rate"), m_rate > 0 ? tr("%1 a minute").arg(m_rate, 0, 'f', 0) : QStringLiteral("–"));
}

// ---------------------------------------------------------------- page
RunPage::RunPage(Session& session, SourceMaker simulated, QString logPath, QWidget* parent)
    : QWidget(parent), m_session(session), m_simulated(std::move(simulated)), m_log(std::move(logPath))
{
    setObjectName(QStringLiteral("runPage"));
    m_sheet = new RunSheet(this);
    m_ladder = new LadderView(this);
    m_band = new VerdictBand(this);
    m_grid = new GridView(*this, this);
    m_grid->setObjectName(QStringLiteral("tape"));
    m_grid->setHeadVisible(false);
    m_grid->setFollowLatest(true);
    m_grid->setMinimumHeight(130);
    m_grid->setFocusPolicy(Qt::NoFocus);

    m_source = new QComboBox(this);
    m_source->setObjectName(QStringLiteral("source"));
    m_source->setAccessibleName(tr("Source of pictures"));
    m_source->addItem(tr("Simulated station: reed plates"));
    m_source->addItem(tr("The trials, one after another"));
    m_source->addItem(tr("A folder of pictures…"));
    m_source->setToolTip(tr("Where the pictures of the items come from."));
    m_batch = new QLineEdit(this);
    m_batch->setObjectName(QStringLiteral("batch"));
    m_batch->setPlaceholderText(tr("batch"));
    m_batch->setToolTip(tr("Name of the production lot; kept with every item."));
    m_batch->setMaximumWidth(150);
    const auto button = [&](const char* name, const QString& text, const QString& tip) {
        auto* b = new QPushButton(text, this);
        b->setObjectName(QLatin1String(name));
        b->setMinimumHeight(56);
        b->setFont(report::uiFont(17));
        b->setToolTip(tip);
        return b;
    };
    m_start = button("startButton", tr("Start"), tr("Inspects items one after another  (F6)"));
    m_one = button("takeOneButton", tr("Take one"), tr("Inspects one item  (F7)"));
    m_stop = button("stopButton", tr("Stop"), tr("Stops after the present item  (F8)"));
    m_stop->setEnabled(false);
    const auto lamp = [&](const char* name) {
        auto* l = new QLabel(this);
        l->setObjectName(QLatin1String(name));
        l->setFont(report::uiFont(13));
        return l;
    };
    m_camera = lamp("cameraLamp");
    m_records = lamp("recordsLamp");
    m_trouble = lamp("troubleLine");
    m_trouble->setWordWrap(true);
    m_camera->setText(tr("camera: not started"));
    m_records->setText(tr("records: %1").arg(QFileInfo(m_log).fileName()));
    m_records->setToolTip(m_log);

    auto* upper = new QHBoxLayout;
    upper->setSpacing(0);
    upper->addWidget(m_sheet, 64);
    upper->addWidget(m_ladder, 36);
    auto* buttons = new QHBoxLayout;
    buttons->setContentsMargins(12, 8, 12, 8);
    buttons->setSpacing(8);
    auto* left = new QVBoxLayout;
    auto* feed = new QHBoxLayout;
    feed->addWidget(m_source, 1);
    feed->addWidget(m_batch);
    left->addLayout(feed);
    auto* lamps = new QHBoxLayout;
    lamps->addWidget(m_camera);
    lamps->addSpacing(24);
    lamps->addWidget(m_records);
    lamps->addStretch(1);
    left->addLayout(lamps);
    left->addWidget(m_trouble);
    buttons->addLayout(left, 1);
    buttons->addSpacing(16);
    for (auto* b : {m_start, m_one, m_stop}) {
        b->setMinimumWidth(130);
        buttons->addWidget(b);
    }
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addLayout(upper, 6);
    m_totalsRow = new QWidget(this);
    auto* totals = new QHBoxLayout(m_totalsRow);
    totals->setContentsMargins(16, 4, 12, 4);
    m_totalsText = new QLabel(m_totalsRow);
    m_totalsText->setObjectName(QStringLiteral("totalsText"));
    m_totalsText->setFont(report::uiFont(18, true));
    auto* anew = new QPushButton(tr("Start totals anew"), m_totalsRow);
    anew->setObjectName(QStringLiteral("resetTotals"));
    connect(anew, &QPushButton::clicked, this, [this] { m_totals.reset(), showTotals(); });
    totals->addWidget(m_totalsText, 1);
    totals->addWidget(anew);
    m_totalsRow->hide();
    layout->addWidget(m_band);
    layout->addWidget(m_totalsRow);
    layout->addWidget(m_grid, 3);
    layout->addLayout(buttons);

    connect(m_start, &QPushButton::clicked, this, &RunPage::start);
    connect(m_one, &QPushButton::clicked, this, &RunPage::takeOne);
    connect(m_stop, &QPushButton::clicked, this, &RunPage::stop);
    connect(m_batch, &QLineEdit::textChanged, &m_loop, &station::RunLoop::setBatch);
    connect(m_source, &QComboBox::activated, this, [this] { m_sourceIndex = -1; });
    connect(&m_loop, &station::RunLoop::logged, this, &RunPage::arrived);
    connect(&m_loop, &station::RunLoop::runningChanged, this, [this](bool on) {
        m_start->setEnabled(!on);
        m_stop->setEnabled(on);
        m_source->setEnabled(!on);
        m_camera->setText(on ? tr("camera: %1").arg(m_source->currentText()) : tr("camera: stopped"));
    });
    connect(&m_loop, &station::RunLoop::trouble, this, [this](const QString& what, const QString& message) {
        m_trouble->setText(what + QStringLiteral(": ") + message);
        m_trouble->setVisible(true);
        if (what == QStringLiteral("records")) m_records->setText(tr("records: NOT written"));
    });
    connect(&session, &Session::recipeChanged, this, &RunPage::recipeMayHaveChanged);
    connect(m_grid, &GridView::chosen, this, [this](int, int c) {
        if (c >= 0) pin(c);
    });
    m_loop.setPause(700);
    QDir().mkpath(QFileInfo(m_log).absolutePath());
    m_loop.setLog(m_log, QString());
}

RunPage::~RunPage() { m_loop.stopRunning(); }

void RunPage::recipeMayHaveChanged()
{
    // Valid from the next item; the line does not stop. A draft is no part of the recipe. While nothing runs it can wait for the start.
    m_stale = !m_loop.running();
    if (m_stale) return;
    adoptRecipe();
}

void RunPage::adoptRecipe()
{
    m_stale = false;
    auto made = inspect::Prepared::make(m_session.recipe(), m_session.prepared().get());
    if (!made) return;
    m_used = std::make_shared<const inspect::Prepared>(std::move(*made));
    m_loop.setRecipe(m_used);
    showTotals();
    // One CSV for each set of columns: a statistics program wants one header.
    const QString stem = m_session.recipe().name.empty() ? QStringLiteral("items") : q(m_session.recipe().name);
    QString leaf;
    for (const QChar ch : stem) leaf += ch.isLetterOrNumber() ? ch : QLatin1Char('-');
    const auto columns = base::fingerprint(records::csvHeader(m_session.recipe())) & 0xffff;
    m_loop.setLog(m_log, QFileInfo(m_log).absolutePath() + QStringLiteral("/%1-%2.csv").arg(leaf).arg(columns, 4, 16, QLatin1Char('0')));
}

bool RunPage::chooseSource()
{
    if (!m_used || m_stale) adoptRecipe();
    if (m_session.recipe().steps.empty()) {
        m_trouble->setText(tr("The recipe has no steps yet; make some in Set up (Ctrl+1)"));
        return false;
    }
    if (m_sourceIndex == m_source->currentIndex()) return true;
    const int wanted = m_source->currentIndex();
    if (wanted == 0) {
        m_loop.setSource(m_simulated());
    } else if (wanted == 1) {
        std::vector<std::string> pictures;
        for (const auto& t : m_session.recipe().trials) pictures.push_back(t.picture);
        if (pictures.empty()) {
            m_trouble->setText(tr("There are no trials to feed"));
            return false;
        }
        m_loop.setSource(std::make_unique<station::ListSource>("trials", std::move(pictures), true));
    } else {
        const QString folder = QFileDialog::getExistingDirectory(this, tr("Folder of pictures"), m_folder, QFileDialog::DontUseNativeDialog);
        if (folder.isEmpty()) return false;
        auto source = station::ListSource::folder(folder.toStdString(), false);
        if (!source) {
            m_trouble->setText(q(source.error().text()));
            return false;
        }
        m_folder = folder;
        m_loop.setSource(std::move(*source));
    }
    m_sourceIndex = wanted;
    m_trouble->clear();
    return true;
}

void RunPage::start()
{
    m_pinned = -1;
    if (chooseSource()) m_loop.startRunning();
}
void RunPage::takeOne()
{
    m_pinned = -1;
    if (!chooseSource()) return;
    m_camera->setText(tr("camera: %1").arg(m_source->currentText()));
    m_loop.takeOne();
}
void RunPage::stop() { m_loop.stopRunning(); }

void RunPage::showTotals()
{
    const auto& totals = m_used ? m_used->recipe().totals : m_session.recipe().totals;
    m_totalsRow->setVisible(!totals.empty());
    QStringList all;
    for (std::size_t i = 0; i < totals.size(); ++i) {
        const bool any = i < m_totals.sums().size();
        all << q(totals[i].name) + QStringLiteral("  ") + q(base::toText(any ? m_totals.sums()[i].value : 0, totals[i].unit)) +
                   (any && m_totals.sums()[i].left ? tr(" (%1 items left out)").arg(m_totals.sums()[i].left) : QString());
    }
    m_totalsText->setText(all.join(QStringLiteral("     ")));
}

void RunPage::arrived(const station::RunItem& item)
{
    const int n = int(item.result->items.size());
    m_items += n;
    for (const auto& i : item.result->items) m_accepted += i.accepted();
    m_totals.add(m_used->recipe(), *item.result);
    if (!item.result->warnings.empty()) {
        m_trouble->setText(tr("beware: %1").arg(q(item.result->warnings.front())));
        m_trouble->setVisible(true);
    }
    showTotals();
    m_times.push_back(QDateTime::currentMSecsSinceEpoch());
    if (m_times.size() > 20) m_times.pop_front();
    m_tape.push_back({item, m_items, m_used});
    // Old pictures are let go; their results stay on the tape.
    if (m_tape.size() > 24) m_tape[m_tape.size() - 25].item.capture.reset();
    if (m_tape.size() > kTape) {
        m_tape.pop_front();
        if (m_pinned >= 0) --m_pinned;
    }
    if (item.records.size() == item.result->items.size() && n > 0) m_records->setText(tr("records: %1 items saved").arg(m_items));
    // Rows of the tape: every check.
    m_rows.clear();
    for (const auto& s : m_used->recipe().steps)
        for (const auto& c : s.checks) {
            GridRow row;
            row.step = s.id, row.output = c.output, row.name = q(c.name), row.stepKind = recipe::findKind(s.kind);
            row.balloon = c.balloon ? QString::number(c.balloon) : QString();
            if (row.stepKind && row.stepKind->datum) row.kind = RowKind::Datum, row.letter = q(s.letter);
            std::vector<double> values;
            for (const auto& t : m_tape)
                for (const auto& i : t.item.result->items)
                    for (const auto& answer : i.checks)
                        if (answer.step == s.id && answer.output == c.output) {
                            values.insert(values.end(), answer.values.begin(), answer.values.end());
                            if (&t == &m_tape.back()) row.verdict = answer.verdict;
                        }
            const auto limits = inspect::limitsInValueUnit(m_session.recipe(), s, c);
            tickRange(limits ? *limits : recipe::Limits{}, values, row.low, row.high);
            m_rows.push_back(row);
        }
    m_grid->refresh();
    if (m_pinned < 0) pin(int(m_tape.size()) - 1);
    emit itemLogged();
}

void RunPage::pin(int column)
{
    const bool present = column == int(m_tape.size()) - 1;
    m_pinned = present ? -1 : column;
    const TapeItem& t = m_tape[std::size_t(column)];
    if (t.item.capture) m_sheet->show(t.prepared, t.item);
    m_ladder->show(t.item.result->items.empty() ? nullptr : &t.item.result->items.front());
    const double span = m_times.size() > 1 ? double(m_times.back() - m_times.front()) / 60000.0 : 0;
    m_band->show(t.item.result.get(), m_items, m_accepted, span > 0 ? double(m_times.size() - 1) / span : 0, present);
    m_grid->setCurrent(-1, column);
}

GridColumn RunPage::column(int c) const
{
    const TapeItem& t = m_tape[std::size_t(c)];
    GridColumn out;
    out.head = QString::number(t.number);
    out.answered = true;
    out.outcome = t.item.result->outcome();
    out.tip = tr("item %1 · %2 · %3").arg(t.number).arg(t.item.at, q(t.item.result->picture));
    for (const auto& i : t.item.result->items)
        if (!i.accepted()) out.tip += QStringLiteral("\n") + q(i.sentence());
    return out;
}
GridCell RunPage::cell(int r, int c) const
{
    const GridRow& row = m_rows[std::size_t(r)];
    return cellFor(m_tape[std::size_t(c)].item.result.get(), row.step, row.output, row.low, row.high);
}
QString RunPage::verdictLine() const { return tr("Verdict"); }
QString RunPage::emptyHint() const { return tr("The latest items appear here, newest at the right."); }

} // namespace desktop
