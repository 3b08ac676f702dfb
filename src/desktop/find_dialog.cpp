#include "desktop/find_dialog.h"

#include "desktop/guide_window.h"
#include "desktop/keys.h"
#include "desktop/param_form.h"
#include "desktop/setup/setup_page.h"
#include "desktop/symbols.h"

#include <QFileInfo>
#include <QHeaderView>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QRegularExpression>
#include <QTreeWidget>
#include <QVBoxLayout>
#include <algorithm>

namespace desktop
{
using namespace recipe;
using report::theme;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
const QRegularExpression& gaps()
{
    static const QRegularExpression g(QStringLiteral("[\\s,;:·]+"));
    return g;
}
int bestStart(const QString& word, const QString& text, int weight)
{
    int best = 0;
    for (const QString& w : text.toLower().split(gaps(), Qt::SkipEmptyParts))
        if (w == word) best = std::max(best, weight + 1);
        else if (w.startsWith(word)) best = std::max(best, weight);
    return best;
}
// "0.25" for a limit that has one side, or a tolerance that has one width.
std::optional<Limits> limitsFrom(const QString& text, const Limits& now, base::Unit unit, QString& why)
{
    QString plain = text.trimmed();
    plain.replace(QLatin1Char(','), QLatin1Char('.'));
    bool number = false;
    const double value = plain.toDouble(&number);
    if (number && now.any()) {
        Limits out = now;
        if (now.nominal && now.hasTolerance && now.plus == now.minus && value > 0 &&
            std::abs(value) < std::abs(*now.nominal))
            out.plus = out.minus = value;
        else if (now.low && !now.high) out.low = value;
        else if (now.high && !now.low) out.high = value;
        else if (now.low && now.high && *now.low == *now.high) out.low = out.high = value;
        else {
            why = QObject::tr("which limit? write both, for example %1").arg(q(now.text()));
            return {};
        }
        return out;
    }
    const auto parsed = parseLimits(text.toStdString(), unit);
    if (!parsed) {
        why = q(parsed.error().message);
        return {};
    }
    return *parsed;
}
} // namespace

int fits(const Hit& hit, const QString& typed)
{
    int score = 0;
    for (const QString& word : typed.toLower().split(gaps(), Qt::SkipEmptyParts)) {
        const int best = std::max({bestStart(word, hit.what, 30), bestStart(word, hit.where, 12),
                                   bestStart(word, hit.value, 6), bestStart(word, hit.words, 16)});
        if (best == 0) return 0;
        score += best;
    }
    if (score > 0 && hit.what.compare(typed.trimmed(), Qt::CaseInsensitive) == 0) score += 20;
    return score;
}

FindDialog::FindDialog(Session& session, SetupPage& page, const QList<QAction*>& actions, QWidget* parent)
    : QDialog(parent), m_session(session), m_page(page)
{
    setObjectName(QStringLiteral("findDialog"));
    setWindowTitle(tr("Find"));
    // Over the sheet, so that the grid is seen while limits are tried.
    resize(640, 370);
    move(parent->window()->mapToGlobal(QPoint(84, 52)));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(12, 12, 12, 10);
    layout->setSpacing(6);
    m_edit = new QLineEdit(this);
    m_edit->setObjectName(QStringLiteral("findText"));
    m_edit->setAccessibleName(tr("Find"));
    m_edit->setPlaceholderText(tr("burr · missing · least size · trial 12 · set 5 0.25 · label bad"));
    m_edit->setFont(report::uiFont(15));
    m_edit->installEventFilter(this);
    layout->addWidget(m_edit);
    m_list = new QTreeWidget(this);
    m_list->setObjectName(QStringLiteral("findList"));
    m_list->setAccessibleName(tr("What was found"));
    m_list->setColumnCount(3);
    m_list->setHeaderHidden(true);
    m_list->setRootIsDecorated(false);
    m_list->setUniformRowHeights(true);
    m_list->setFrameShape(QFrame::NoFrame);
    m_list->setIconSize({18, 18});
    m_list->setFocusPolicy(Qt::NoFocus);
    m_list->header()->setStretchLastSection(false);
    m_list->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    m_list->header()->setSectionResizeMode(1, QHeaderView::Fixed);
    m_list->header()->setSectionResizeMode(2, QHeaderView::Fixed);
    m_list->setColumnWidth(1, 210);
    m_list->setColumnWidth(2, 130);
    layout->addWidget(m_list, 1);
    m_note = new QLabel(this);
    m_note->setObjectName(QStringLiteral("findNote"));
    m_note->setWordWrap(true);
    m_note->setFont(report::uiFont(12));
    layout->addWidget(m_note);
    connect(m_edit, &QLineEdit::textChanged, this, &FindDialog::search);
    connect(m_list, &QTreeWidget::itemActivated, this,
            [this](QTreeWidgetItem* item) { accepted(m_list->indexOfTopLevelItem(item)); });
    connect(m_list, &QTreeWidget::itemClicked, this,
            [this](QTreeWidgetItem* item) { accepted(m_list->indexOfTopLevelItem(item)); });
    gatherAll(actions);
    search({});
}

FindDialog::~FindDialog() { m_session.takeBack(); }

void FindDialog::gatherAll(const QList<QAction*>& actions)
{
    gatherSteps();
    gatherKinds();
    for (QAction* a : actions) {
        const auto& table = keyTable();
        const auto key = std::find_if(table.begin(), table.end(),
                                      [&](const Key& k) { return a->objectName() == QLatin1String(k.id); });
        if (key == table.end() || a->objectName() == QStringLiteral("find")) continue;
        Hit h;
        h.what = QString::fromUtf8(key->label), h.where = tr("action");
        h.value = a->shortcut().toString(QKeySequence::NativeText);
        h.words = QString::fromUtf8(key->help);
        h.rank = 3;
        if (!a->isEnabled()) h.reason = tr("cannot be done now");
        h.act = [a] { a->trigger(); };
        m_all.push_back(std::move(h));
    }
    gatherTrials();
    for (const GuidePage& page : guidePages()) {
        Hit h;
        h.what = page.title, h.where = tr("guide"), h.rank = 5;
        h.words = page.words + tr(" help how to");
        h.act = [this, file = page.file] { emit guideWanted(file); };
        m_all.push_back(std::move(h));
    }
}

void FindDialog::gatherKinds()
{
    for (const StepKind& k : allStepKinds()) {
        Hit h;
        h.what = q(k.label), h.where = tr("make · %1").arg(QString::fromLatin1(questionWord(k.question)));
        h.words = q(k.purpose) + QStringLiteral(" make ") + q(k.help);
        h.icon = kindIcon(k);
        h.rank = 1;
        if (m_session.trialCount() == 0) h.reason = tr("needs a picture");
        else if (m_session.recipe().reference.empty()) h.reason = tr("needs a reference");
        h.act = [this, key = k.key] { m_page.arm(key); };
        m_all.push_back(std::move(h));
    }
}

void FindDialog::gatherSteps()
{
    const auto* item = m_session.currentItem();
    for (const Step& s : m_session.recipe().steps) {
        const StepKind* kind = findKind(s.kind);
        if (!kind) continue;
        Hit h;
        h.what = q(s.name), h.where = q(kind->label), h.icon = kindIcon(*kind), h.rank = 0;
        h.words = q(s.letter) + tr(" step go");
        for (const Check& c : s.checks) {
            h.words += QStringLiteral(" ") + q(c.name) + QStringLiteral(" ") + QString::number(c.balloon) +
                       QStringLiteral(" ") + q(c.fault);
            const auto* answer = item ? item->check(s.id, c.output) : nullptr;
            if (answer && h.value.isEmpty()) h.value = q(answer->valueText());
        }
        h.act = [this, id = s.id] { m_session.select(id); };
        m_all.push_back(h);
        for (const ParamSpec& p : kind->params) {
            Hit setting;
            setting.what = q(p.label), setting.where = tr("in %1").arg(q(s.name)), setting.rank = 2;
            setting.words = q(p.help) + tr(" setting");
            setting.icon = h.icon;
            const Value v = p.get(s.params);
            if (const auto* r = std::get_if<double>(&v))
                setting.value =
                    QString::number(*r, 'g', 6) + QStringLiteral(" ") + QString::fromUtf8(base::symbol(p.unit));
            else if (const auto* w = std::get_if<std::int64_t>(&v)) setting.value = QString::number(*w);
            else if (const auto* b = std::get_if<bool>(&v)) setting.value = *b ? tr("yes") : tr("no");
            else if (const auto* t = std::get_if<std::string>(&v)) setting.value = q(*t);
            setting.act = [this, id = s.id, key = p.key] {
                m_session.select(id);
                m_page.editSetting(key);
            };
            m_all.push_back(std::move(setting));
        }
    }
}

void FindDialog::gatherTrials()
{
    for (int t = 0; t < m_session.trialCount(); ++t) {
        const Trial& trial = m_session.recipe().trials[std::size_t(t)];
        Hit h;
        h.what = tr("Trial %1").arg(t + 1), h.where = QFileInfo(q(trial.picture)).fileName();
        const auto* r = m_session.result(t);
        h.value = r ? QString::fromLatin1(inspect::name(r->outcome())) : QString();
        h.words = tr("show ") + QString::fromLatin1(recipe::name(trial.label));
        h.rank = 4;
        h.act = [this, t] { m_session.setTrial(t); };
        m_all.push_back(std::move(h));
    }
}

void FindDialog::search(const QString& typed)
{
    m_session.takeBack();
    m_shown.clear();
    m_note->clear();
    if (!verb(typed)) {
        std::vector<std::pair<int, const Hit*>> found;
        for (const Hit& h : m_all)
            if (const int score = fits(h, typed); score > 0) found.push_back({score, &h});
        // The same words give the same first answer: nothing is remembered.
        std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) {
            if (a.second->reason.isEmpty() != b.second->reason.isEmpty()) return a.second->reason.isEmpty();
            return a.first != b.first ? a.first > b.first : a.second->rank < b.second->rank;
        });
        for (std::size_t i = 0; i < std::min<std::size_t>(found.size(), 60); ++i) m_shown.push_back(*found[i].second);
        m_note->setText(typed.trimmed().isEmpty() ? tr("Type what you look for or what it is for. Verbs: set 5 0.25 · "
                                                       "show 12 · go burr · make gap · label good")
                        : found.empty()           ? tr("Nothing is called so and nothing is for that")
                                        : tr("Enter takes the chosen line · %n found", nullptr, int(found.size())));
    }
    m_list->clear();
    for (const Hit& h : m_shown) {
        auto* item = new QTreeWidgetItem(m_list, {h.what, h.where, h.reason.isEmpty() ? h.value : h.reason});
        item->setIcon(0, h.icon);
        item->setTextAlignment(2, Qt::AlignRight | Qt::AlignVCenter);
        item->setToolTip(0, h.words);
        const QColor plain = h.reason.isEmpty() ? theme().ink : theme().second;
        item->setForeground(0, plain);
        item->setForeground(1, theme().second);
        item->setForeground(2, h.reason.isEmpty() ? theme().ink : theme().second);
    }
    if (m_list->topLevelItemCount()) m_list->setCurrentItem(m_list->topLevelItem(0));
    if (!m_shown.empty() && m_shown.front().show) m_shown.front().show();
}

bool FindDialog::verb(const QString& typed)
{
    const QStringList words = typed.split(QRegularExpression(QStringLiteral("\\s+")), Qt::SkipEmptyParts);
    if (words.size() < 2) return false;
    const QString v = words.front().toLower(), rest = words.mid(1).join(QLatin1Char(' '));
    const auto only = [&](const QString& what, int rank) {
        std::vector<std::pair<int, const Hit*>> found;
        for (const Hit& h : m_all)
            if (h.rank == rank)
                if (const int score = fits(h, what); score > 0) found.push_back({score, &h});
        std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
        for (const auto& [score, h] : found) m_shown.push_back(*h);
        return !found.empty();
    };
    if (v == QStringLiteral("set")) return words.size() > 2 ? (setVerb(words.mid(1)), true) : false;
    if (v == QStringLiteral("make")) return only(rest, 1);
    if (v == QStringLiteral("go")) return only(rest, 0);
    if (v == QStringLiteral("show")) {
        bool number = false;
        const int t = rest.toInt(&number);
        if (!number) return only(rest, 4);
        if (t < 1 || t > m_session.trialCount()) {
            m_note->setText(tr("There are trials 1 to %1").arg(m_session.trialCount()));
            return true;
        }
        return only(QStringLiteral("trial %1").arg(t), 4);
    }
    if (v == QStringLiteral("label") || v == QStringLiteral("take") || v == QStringLiteral("export"))
        return only(typed, 3) || only(rest, 3);
    return false;
}

// "set 5 0.25", "set burr <= 0.1": the check by its number or the beginning of its name.
void FindDialog::setVerb(const QStringList& words)
{
    struct Named {
        const Step* step;
        const Check* check;
        int used; // words the name takes
    };
    std::vector<Named> found;
    for (const Step& s : m_session.recipe().steps)
        for (const Check& c : s.checks) {
            if (words.front() == QString::number(c.balloon)) found.insert(found.begin(), {&s, &c, 1});
            for (int n = int(words.size()) - 1; n > 0; --n)
                if (q(c.name).startsWith(words.mid(0, n).join(QLatin1Char(' ')), Qt::CaseInsensitive)) {
                    found.push_back({&s, &c, n});
                    break;
                }
        }
    if (found.empty()) return m_note->setText(tr("No check has the number or name \"%1\"").arg(words.front()));
    for (const Named& n : found) {
        const OutputSpec* out = findKind(n.step->kind)->output(n.check->output);
        const base::Unit unit =
            n.check->limits.any() ? n.check->limits.unit
                                  : base::shownAs(m_session.recipe().unitOf(*n.step, *out), m_session.recipe().shownIn);
        Hit h;
        h.what = tr("Set %1 %2").arg(n.check->balloon).arg(q(n.check->name));
        QString why;
        const auto limits = limitsFrom(words.mid(n.used).join(QLatin1Char(' ')), n.check->limits, unit, why);
        h.where = n.check->limits.any() ? tr("now %1").arg(q(n.check->limits.text())) : tr("no limits yet");
        h.reason = why;
        if (limits) {
            h.value = q(limits->text()) + QStringLiteral(" ") + QString::fromUtf8(base::symbol(limits->unit));
            const std::string step = n.step->id, output = n.check->output;
            h.show = [this, step, output, l = *limits] { previewLimits(step, output, l); };
            h.act = [this, step, output, l = *limits] {
                m_session.setLimits(step, output, l, false);
                m_session.select(step, output);
            };
        }
        m_shown.push_back(std::move(h));
        if (m_shown.size() > 8) break;
    }
    m_note->setText(tr("The grid shows what these limits would decide; Enter takes them"));
}

void FindDialog::previewLimits(const std::string& step, const std::string& output, const Limits& limits)
{
    m_session.tryOut([&](Recipe& r) {
        for (Check& c : r.find(step)->checks)
            if (c.output == output) c.limits = limits;
    });
    int rejected = 0;
    for (int t = 0; t < m_session.trialCount(); ++t)
        if (const auto* r = m_session.result(t)) rejected += r->rejected();
    m_note->setText(tr("With these limits %1 of %2 trials are rejected · Enter takes them")
                        .arg(rejected)
                        .arg(m_session.trialCount()));
}

void FindDialog::accepted(int row)
{
    if (row < 0 || row >= int(m_shown.size())) return;
    const Hit h = m_shown[std::size_t(row)];
    if (!h.reason.isEmpty() || !h.act) return m_note->setText(h.reason);
    accept();
    h.act();
}

void FindDialog::done(int result)
{
    m_session.takeBack();
    QDialog::done(result);
}

bool FindDialog::eventFilter(QObject* object, QEvent* e)
{
    if (object == m_edit && e->type() == QEvent::KeyPress) {
        const auto* key = static_cast<QKeyEvent*>(e);
        const int rows = m_list->topLevelItemCount();
        const int now = m_list->indexOfTopLevelItem(m_list->currentItem());
        const auto go = [&](int to) {
            if (rows == 0) return true;
            to = std::clamp(to, 0, rows - 1);
            m_list->setCurrentItem(m_list->topLevelItem(to));
            m_session.takeBack();
            if (m_shown[std::size_t(to)].show) m_shown[std::size_t(to)].show();
            return true;
        };
        switch (key->key()) {
        case Qt::Key_Down: return go(now + 1);
        case Qt::Key_Up: return go(now - 1);
        case Qt::Key_PageDown: return go(now + 10);
        case Qt::Key_PageUp: return go(now - 10);
        case Qt::Key_Return:
        case Qt::Key_Enter: accepted(std::max(0, now)); return true;
        default: break;
        }
    }
    return QDialog::eventFilter(object, e);
}

} // namespace desktop
