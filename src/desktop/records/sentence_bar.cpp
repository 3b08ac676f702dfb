#include "desktop/records/sentence_bar.h"

#include "report/theme.h"

#include <QDateTime>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPainter>
#include <set>

namespace desktop
{
using namespace records;
using report::theme;

// ---------------------------------------------------------------- a word
WordButton::WordButton(const char* name, const QString& accessible, QWidget* parent) : QToolButton(parent)
{
    setObjectName(QLatin1String(name));
    setAccessibleName(accessible);
    setFocusPolicy(Qt::StrongFocus);
    setCursor(Qt::PointingHandCursor);
    setPopupMode(QToolButton::InstantPopup);
    setSizePolicy(QSizePolicy::Maximum, QSizePolicy::Fixed);
}
void WordButton::say(const QString& word, bool narrows, bool brushed)
{
    m_narrows = narrows, m_brushed = brushed;
    setText(word);
    updateGeometry();
    update();
}
QSize WordButton::sizeHint() const
{
    return {QFontMetrics(report::uiFont(13)).horizontalAdvance(text()) + (m_brushed ? 32 : 13), 26};
}
QSize WordButton::minimumSizeHint() const { return {std::min(sizeHint().width(), m_brushed ? 200 : 64), 26}; }
void WordButton::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    const report::Theme& th = theme();
    const QRect box = rect().adjusted(0, 1, -1, -2);
    p.setFont(report::uiFont(13));
    const bool lit = underMouse() || hasFocus();
    if (m_brushed) {
        p.setPen(QPen(th.datum, 1));
        p.setBrush(th.selected);
        p.drawRect(box);
        report::drawCross(p, QRectF(box.right() - 18, box.center().y() - 6, 13, 13), th.datum, 1.6);
        p.setPen(th.datum);
        p.drawText(box.adjusted(7, 0, -20, 0), Qt::AlignVCenter,
                   p.fontMetrics().elidedText(text(), Qt::ElideMiddle, box.width() - 27));
        return;
    }
    if (lit) p.fillRect(box, th.selected);
    p.setPen(m_narrows ? th.datum : th.ink);
    p.drawText(box.adjusted(4, 0, -4, 0), Qt::AlignVCenter,
               p.fontMetrics().elidedText(text(), Qt::ElideRight, box.width() - 7));
    p.setPen(QPen(th.datum, 1, Qt::DotLine));
    p.drawLine(box.left() + 4, box.bottom() - 1, box.right() - 4, box.bottom() - 1);
}

// ---------------------------------------------------------------- words
namespace
{
QString timeWord(Sentence::Time t)
{
    switch (t) {
    case Sentence::Time::Today: return QObject::tr("today");
    case Sentence::Time::Yesterday: return QObject::tr("yesterday");
    case Sentence::Time::Week: return QObject::tr("the last 7 days");
    case Sentence::Time::Any: break;
    }
    return QObject::tr("any time");
}
QString revisionWord(const std::vector<int>& revisions)
{
    if (revisions.empty()) return QObject::tr("any revision");
    QStringList all;
    for (const int r : revisions) all << QString::number(r);
    return (revisions.size() == 1 ? QObject::tr("revision %1") : QObject::tr("revisions %1"))
        .arg(all.join(QStringLiteral(", ")));
}
QString named(const QString& kind, const QString& name)
{
    return name.isEmpty() ? QObject::tr("no %1").arg(kind) : kind + QLatin1Char(' ') + name;
}
} // namespace

QString verdictWord(ItemVerdict v)
{
    switch (v) {
    case ItemVerdict::Accept: return QObject::tr("accepted");
    case ItemVerdict::Reject: return QObject::tr("rejects");
    case ItemVerdict::Unjudged: return QObject::tr("unjudged");
    case ItemVerdict::Error: return QObject::tr("unreadable");
    }
    return {};
}
QStringList narrowingWords(const Sentence& s)
{
    QStringList out;
    const Choice& w = s.words;
    if (s.time != Sentence::Time::Any) out << timeWord(s.time);
    if (!w.recipe.isNull()) out << w.recipe;
    if (!w.batch.isNull()) out << named(QObject::tr("batch"), w.batch);
    if (!w.revisions.empty()) out << revisionWord(w.revisions);
    if (!w.station.isNull()) out << named(QObject::tr("station"), w.station);
    if (w.verdict) out << verdictWord(*w.verdict);
    if (w.failed) out << QObject::tr("%1 failed").arg(w.failed->name);
    if (!w.text.isEmpty()) out << QObject::tr("“%1”").arg(w.text);
    return out;
}

// ---------------------------------------------------------------- the bar
SentenceBar::SentenceBar(RecordsModel& model, QWidget* parent) : QWidget(parent), m_model(model)
{
    setObjectName(QStringLiteral("sentence"));
    setFixedHeight(36);
    m_line = new QHBoxLayout(this);
    m_line->setContentsMargins(12, 4, 12, 4);
    m_line->setSpacing(0);
    auto* begin = new QLabel(tr("Items of"), this);
    begin->setProperty("aside", true);
    begin->setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Preferred);
    m_line->addWidget(begin);
    bool first = true;
    const auto word = [&](WordButton*& to, const char* name, const QString& accessible, const QString& tip) {
        if (!first) {
            auto* dot = new QLabel(QStringLiteral("·"), this);
            dot->setProperty("aside", true);
            dot->setObjectName(QLatin1String(name) + QStringLiteral("Dot"));
            dot->setFixedWidth(11);
            dot->setContentsMargins(0, 0, 0, 0);
            dot->setIndent(0);
            dot->setAlignment(Qt::AlignCenter);
            m_line->addWidget(dot);
        }
        first = false;
        to = new WordButton(name, accessible, this);
        to->setToolTip(tip);
        auto* menu = new QMenu(to);
        menu->setObjectName(QLatin1String(name) + QStringLiteral("Menu"));
        to->setMenu(menu);
        connect(menu, &QMenu::aboutToShow, this,
                [this, menu, key = QString::fromLatin1(name)] { fillMenu(*menu, key); });
        m_line->addWidget(to);
    };
    word(m_time, "timeWord", tr("Time"), tr("When they were taken; a stroke on the ribbon below takes a span"));
    word(m_recipe, "recipeWord", tr("Recipe"), tr("What was inspected"));
    word(m_batch, "batchWord", tr("Batch"), tr("Of which batch"));
    word(m_revision, "revisionWord", tr("Revision"), tr("By which revision of the recipe"));
    word(m_station, "stationWord", tr("Station"), tr("On which station"));
    word(m_verdict, "verdictWord", tr("Verdict"), tr("With which verdict"));
    word(m_check, "checkWord", tr("Check"), tr("In which check they failed"));
    m_text = new QLineEdit(this);
    m_text->setObjectName(QStringLiteral("textFilter"));
    m_text->setPlaceholderText(tr("picture or fault"));
    m_text->setAccessibleName(tr("Part of the picture's name or of the fault"));
    m_text->setToolTip(tr("Part of the picture's name or of the sentence that says what is wrong  (Ctrl+F)"));
    m_text->setClearButtonEnabled(true);
    m_text->setMaximumWidth(140);
    m_text->setMinimumWidth(70);
    m_line->addSpacing(4);
    m_line->addWidget(m_text, 1);
    m_plates = new QHBoxLayout;
    m_plates->setSpacing(4);
    m_line->addLayout(m_plates);
    m_line->addStretch(2);
    m_line->addSpacing(6);
    m_count = new QLabel(this);
    m_count->setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Preferred);
    m_count->setObjectName(QStringLiteral("recordCount"));
    QFont bold = report::uiFont(13, true);
    m_count->setFont(bold);
    m_line->addWidget(m_count);
    m_line->addSpacing(6);
    connect(m_text, &QLineEdit::textChanged, this, [this](const QString& t) {
        if (t != m_model.sentence().words.text) change([&](Sentence& s) { s.words.text = t; });
    });
    connect(&m_model, &RecordsModel::changed, this, &SentenceBar::refresh);
    refresh();
}

void SentenceBar::change(const std::function<void(Sentence&)>& edit)
{
    Sentence s = m_model.sentence();
    edit(s);
    m_model.say(std::move(s));
}

QString SentenceBar::brushText(const Sentence::Brush& b) const
{
    if (b.of == Sentence::Brush::Of::Items)
        return b.from == b.to ? tr("item %1").arg(grouped(b.from))
                              : tr("items %1 – %2").arg(grouped(b.from), grouped(b.to));
    if (b.of == Sentence::Brush::Of::Value)
        return tr("%1 %2 – %3 %4")
            .arg(b.value.check.name, figure(b.value.low, b.value.check.unit), figure(b.value.high, b.value.check.unit),
                 b.value.check.unit);
    const QDateTime from = QDateTime::fromMSecsSinceEpoch(b.since), to = QDateTime::fromMSecsSinceEpoch(b.until);
    const bool day = from.date() == to.date(), today = day && from.date() == QDate::currentDate();
    const QString clock =
        to.toSecsSinceEpoch() - from.toSecsSinceEpoch() < 600 ? QStringLiteral("HH:mm:ss") : QStringLiteral("HH:mm");
    const QString full = QStringLiteral("d MMM ") + clock;
    return QLocale::c().toString(from, today ? clock : full) + QStringLiteral(" – ") +
           QLocale::c().toString(to, day ? clock : full);
}

void SentenceBar::refresh()
{
    const Sentence& s = m_model.sentence();
    const Columns& c = *m_model.view().columns;
    m_time->say(timeWord(s.time), s.time != Sentence::Time::Any);
    m_recipe->say(s.words.recipe.isNull() ? tr("any recipe") : s.words.recipe, !s.words.recipe.isNull());
    std::set<QString> recipes;
    for (const ReleaseName& r : c.releases) recipes.insert(r.recipe);
    // What has no choice is not asked.
    const auto show = [&](WordButton* b, bool on) {
        b->setVisible(on);
        if (auto* dot = findChild<QLabel*>(b->objectName() + QStringLiteral("Dot"))) dot->setVisible(on);
    };
    show(m_recipe, recipes.size() > 1 || !s.words.recipe.isNull());
    m_batch->say(s.words.batch.isNull() ? tr("any batch") : named(tr("batch"), s.words.batch), !s.words.batch.isNull());
    m_revision->say(revisionWord(s.words.revisions), !s.words.revisions.empty());
    m_station->say(s.words.station.isNull() ? tr("all stations") : named(tr("station"), s.words.station),
                   !s.words.station.isNull());
    m_verdict->say(s.words.verdict ? verdictWord(*s.words.verdict) : tr("any verdict"), s.words.verdict.has_value());
    m_check->say(s.words.failed ? tr("%1 failed").arg(s.words.failed->name) : tr("any check"),
                 s.words.failed.has_value());
    if (m_text->text() != s.words.text) {
        const QSignalBlocker quiet(m_text);
        m_text->setText(s.words.text);
    }
    while (m_brushes.size() > s.brushes.size()) {
        m_brushes.back()->deleteLater();
        m_brushes.pop_back();
    }
    while (m_brushes.size() < s.brushes.size()) {
        const std::size_t i = m_brushes.size();
        auto* plate = new WordButton("brushWord", tr("Span"), this);
        plate->setToolTip(tr("Takes the span back  (Esc)"));
        connect(plate, &QToolButton::clicked, this, [this, i] {
            change([&](Sentence& of) {
                if (i < of.brushes.size()) of.brushes.erase(of.brushes.begin() + std::ptrdiff_t(i));
            });
        });
        m_plates->addWidget(plate);
        m_brushes.push_back(plate);
    }
    for (std::size_t i = 0; i < m_brushes.size(); ++i) m_brushes[i]->say(brushText(s.brushes[i]), true, true);
    const RecordsView& v = m_model.view();
    const long long all = (long long)(c.items()), n = v.counts.items;
    m_count->setText(n == all ? tr("%1 items, %2 rejected").arg(grouped(n), grouped(v.counts.rejected))
                              : tr("%1 of %2 items").arg(grouped(n), grouped(all)));
    m_count->setToolTip(tr("%1 accepted, %2 rejected, %3 unjudged, %4 unreadable")
                            .arg(grouped(v.counts.accepted), grouped(v.counts.rejected), grouped(v.counts.unjudged),
                                 grouped(v.counts.unreadable)));
}

QString SentenceBar::text() const
{
    QStringList words = narrowingWords(m_model.sentence());
    for (const auto& b : m_model.sentence().brushes) words << brushText(b);
    return words.isEmpty() ? tr("all items") : words.join(QStringLiteral(" · "));
}

void SentenceBar::fillMenu(QMenu& menu, const QString& word)
{
    menu.clear();
    menu.setToolTipsVisible(true);
    const Sentence& s = m_model.sentence();
    const Columns& c = *m_model.view().columns;
    const auto add = [&](const QString& text, bool on, std::function<void(Sentence&)> edit) {
        QAction* a = menu.addAction(QString(text).replace(QLatin1Char('&'), QStringLiteral("&&")),
                                    [this, edit = std::move(edit)] { change(edit); });
        a->setCheckable(true);
        a->setChecked(on);
    };
    constexpr int kMost = 40; // the newest; older ones are found by their ribbon mark or by text
    if (word == QLatin1String("timeWord")) {
        for (const auto t :
             {Sentence::Time::Any, Sentence::Time::Today, Sentence::Time::Yesterday, Sentence::Time::Week})
            add(timeWord(t), s.time == t, [t](Sentence& of) { of.time = t; });
    } else if (word == QLatin1String("recipeWord")) {
        add(tr("any recipe"), s.words.recipe.isNull(), [](Sentence& of) { of.words.recipe = QString(); });
        std::set<QString> seen;
        for (const ReleaseName& r : c.releases)
            if (seen.insert(r.recipe).second)
                add(r.recipe, s.words.recipe == r.recipe, [n = r.recipe](Sentence& of) { of.words.recipe = n; });
    } else if (word == QLatin1String("batchWord")) {
        add(tr("any batch"), s.words.batch.isNull(), [](Sentence& of) { of.words.batch = QString(); });
        for (qsizetype i = c.batches.size(); i > std::max<qsizetype>(0, c.batches.size() - kMost); --i) {
            const QString b = c.batches[i - 1].isEmpty() ? QStringLiteral("") : c.batches[i - 1];
            add(named(tr("batch"), b), !s.words.batch.isNull() && s.words.batch == b,
                [b](Sentence& of) { of.words.batch = b; });
        }
        if (c.batches.size() > kMost)
            menu.addAction(tr("%1 older ones: click their post on the ribbon").arg(c.batches.size() - kMost))
                ->setEnabled(false);
    } else if (word == QLatin1String("revisionWord")) {
        add(tr("any revision"), s.words.revisions.empty(), [](Sentence& of) { of.words.revisions.clear(); });
        std::set<int, std::greater<>> revisions;
        for (const ReleaseName& r : c.releases)
            if (s.words.recipe.isNull() || s.words.recipe == r.recipe) revisions.insert(r.revision);
        for (const int r : revisions) {
            const auto& on = s.words.revisions;
            const bool chosen = std::find(on.begin(), on.end(), r) != on.end();
            // Several may be on.
            add(tr("revision %1").arg(r), chosen, [r, chosen](Sentence& of) {
                auto& list = of.words.revisions;
                if (chosen) list.erase(std::find(list.begin(), list.end(), r));
                else list.push_back(r), std::sort(list.begin(), list.end());
            });
        }
    } else if (word == QLatin1String("stationWord")) {
        add(tr("all stations"), s.words.station.isNull(), [](Sentence& of) { of.words.station = QString(); });
        for (const QString& name : c.stations) {
            const QString n = name.isEmpty() ? QStringLiteral("") : name;
            add(named(tr("station"), n), !s.words.station.isNull() && s.words.station == n,
                [n](Sentence& of) { of.words.station = n; });
        }
    } else if (word == QLatin1String("verdictWord")) {
        add(tr("any verdict"), !s.words.verdict, [](Sentence& of) { of.words.verdict.reset(); });
        for (const auto v : {ItemVerdict::Reject, ItemVerdict::Accept, ItemVerdict::Unjudged, ItemVerdict::Error})
            add(verdictWord(v), s.words.verdict == v, [v](Sentence& of) { of.words.verdict = v; });
    } else {
        add(tr("any check"), !s.words.failed, [](Sentence& of) { of.words.failed.reset(); });
        for (const CheckName& check : c.checks)
            if (s.words.recipe.isNull() || s.words.recipe == check.recipe)
                add(tr("%1 failed").arg(check.name), s.words.failed && s.words.failed->sameCheck(check),
                    [check](Sentence& of) { of.words.failed = check; });
    }
}

} // namespace desktop
