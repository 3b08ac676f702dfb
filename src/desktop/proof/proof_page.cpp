#include "desktop/proof/proof_page.h"

#include "base/files.h"
#include "base/text.h"
#include "desktop/keys.h"
#include "desktop/picture_cut.h"
#include "desktop/proof/expect_dialog.h"
#include "desktop/proof/proof_views.h"
#include "desktop/words.h"
#include "recipe/history.h"
#include "recipe/recipe_file.h"
#include "report/theme.h"

#include <QAction>
#include <QDateTime>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QLocale>
#include <QPainter>
#include <QProgressBar>
#include <QPushButton>
#include <QScrollArea>
#include <QSplitter>
#include <QToolButton>
#include <QVBoxLayout>
#include <nlohmann/json.hpp>

namespace desktop
{
namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
QString now() { return QLocale::c().toString(QDateTime::currentDateTime(), QStringLiteral("d MMM yyyy HH:mm")); }
// Where a step looks in this picture, and how much of it is worth seeing; picture px.
struct Sight {
    geometry::Point at;
    double half = 0; // 0: the whole picture
};
Sight sightOf(const inspect::PictureResult& r, const std::string& step)
{
    for (const auto& item : r.items)
        if (const auto* s = item.step(step)) {
            double left = 1e18, top = 1e18, right = -1e18, low = -1e18;
            for (const auto& m : s->marks)
                for (const auto p : m.points) {
                    left = std::min(left, p.x - m.radius), right = std::max(right, p.x + m.radius);
                    top = std::min(top, p.y - m.radius), low = std::max(low, p.y + m.radius);
                }
            if (right >= left)
                return {{(left + right) / 2, (top + low) / 2},
                        std::max(30.0, 0.7 * std::max(low - top, (right - left) * 0.62))};
        }
    return {};
}
QImage seen(const image::Capture& capture, Sight sight, QSize size)
{
    const image::Picture& p = capture.first();
    if (sight.half > 0.45 * p.pixels.height()) sight.half = 0;
    return cutOut(p, sight.half > 0 ? sight.at : geometry::Point{p.pixels.width() / 2.0, p.pixels.height() / 2.0},
                  sight.half, 0, size);
}
} // namespace

ProofPage::ProofPage(Session& session, std::function<QString()> who, QWidget* parent)
    : QWidget(parent), m_session(session), m_who(std::move(who))
{
    setObjectName(QStringLiteral("proofPage"));
    makeActions();
    auto* whole = new QHBoxLayout(this);
    whole->setContentsMargins(0, 0, 0, 0), whole->setSpacing(0);
    whole->addLayout(makeProof(), 1);
    whole->addWidget(makeApproval());
    connect(m_prove, &QPushButton::clicked, this, [this] { prove(false); });
    connect(m_stop, &QPushButton::clicked, this, &ProofPage::stop);
    connect(m_pdf, &QPushButton::clicked, this, &ProofPage::save);
    connect(m_sign, &QPushButton::clicked, this, [this] {
        const QString stem = q(m_proof ? m_proof->recipe : std::string("recipe")) +
                             tr(" revision %1 approval").arg(m_proof ? m_proof->revision : 0);
        const QString path = QFileDialog::getSaveFileName(this, tr("Sign the approval"), stem + QStringLiteral(".pdf"),
                                                          tr("PDF (*.pdf)"), nullptr, QFileDialog::DontUseNativeDialog);
        if (path.isEmpty()) return;
        if (const auto ok = sign(path); !ok) emit said(q(ok.error().text()));
    });
    connect(m_name, &QLineEdit::textChanged, this, &ProofPage::showApproval);
    connect(m_matrix, &StrainMatrix::chosen, this, &ProofPage::showFlip);
    connect(m_matrix, &StrainMatrix::opened, this, &ProofPage::openChosen);
    connect(&m_session, &Session::recipeChanged, this, [this] {
        if (isVisible()) refresh(); // else when it is shown again
    });
    m_look.setInterval(80);
    connect(&m_look, &QTimer::timeout, this, [this] {
        if (m_watch) m_bar->setValue(int(1000 * m_watch->share));
    });
    refresh();
}

void ProofPage::makeActions()
{
    const auto add = [this](const char* id, const std::function<void()>& call) {
        QAction* a = makeAction(QString::fromLatin1(id), this);
        a->setShortcutContext(Qt::WidgetWithChildrenShortcut);
        addAction(a);
        connect(a, &QAction::triggered, this, call);
        m_actions[QString::fromLatin1(id)] = a;
        return a;
    };
    add("prove", [this] { prove(false); });
    add("proveQuick", [this] { prove(true); });
    add("stopProof", [this] { stop(); });
    add("nextShort", [this] {
        if (!m_matrix->chooseNextShort()) emit said(tr("every check holds as far as is expected"));
    });
    add("approvalPdf", [this] { save(); });
    add("expected", [this] { editExpected({}); });
}

// Sentence, answer, matrix and what lies below it.
QLayout* ProofPage::makeProof()
{
    auto* left = new QVBoxLayout;
    left->setContentsMargins(0, 0, 0, 0), left->setSpacing(0);
    // The sentence.
    auto* bar = new QHBoxLayout;
    bar->setContentsMargins(10, 4, 10, 4);
    m_sentence = new QToolButton(this);
    m_sentence->setObjectName(QStringLiteral("expected"));
    m_sentence->setProperty("chip", true);
    m_sentence->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    m_sentence->setToolTip(
        tr("How far each change goes on your line, and what is asked of the recipe; click to state it  (Ctrl+E)"));
    connect(m_sentence, &QToolButton::clicked, this, [this] { editExpected({}); });
    m_prove = new QPushButton(tr("Prove"), this);
    m_prove->setObjectName(QStringLiteral("proveButton"));
    m_prove->setToolTip(
        tr("Tries the recipe on its labelled trials under every change, and plants faults  (F6; quick: Shift+F6)"));
    m_stop = new QPushButton(tr("Stop"), this);
    m_stop->setObjectName(QStringLiteral("stopProofButton"));
    m_stop->setToolTip(tr("Ends it; what was worked out before stays  (F8)"));
    m_bar = new QProgressBar(this);
    m_bar->setObjectName(QStringLiteral("proofProgress"));
    m_bar->setRange(0, 1000), m_bar->setMaximumWidth(150), m_bar->setTextVisible(false);
    m_bar->hide(), m_stop->hide();
    bar->addWidget(m_sentence, 1), bar->addWidget(m_bar), bar->addWidget(m_prove), bar->addWidget(m_stop);
    left->addLayout(bar);
    // The answer.
    auto* answer = new QHBoxLayout;
    answer->setContentsMargins(12, 2, 12, 2);
    m_answer = new QLabel(this);
    m_answer->setObjectName(QStringLiteral("proofAnswer"));
    m_answer->setFont(report::sheetFont(24));
    m_weakest = new QLabel(this);
    m_weakest->setObjectName(QStringLiteral("proofWeakest"));
    m_weakest->setWordWrap(true);
    answer->addWidget(m_answer), answer->addSpacing(14), answer->addWidget(m_weakest, 1);
    left->addLayout(answer);
    auto* split = new QSplitter(Qt::Vertical, this);
    split->setObjectName(QStringLiteral("proofSplit"));
    left->addWidget(split, 1);
    m_matrix = new StrainMatrix(split);
    auto* below = new QWidget(split);
    auto* parts = new QHBoxLayout(below);
    parts->setContentsMargins(0, 0, 0, 0), parts->setSpacing(1);
    m_flip = new FlipView(below), m_faults = new FaultsView(below), m_sure = new SureView(below);
    parts->addWidget(m_flip, 350), parts->addWidget(m_faults, 350), parts->addWidget(m_sure, 256);
    split->addWidget(m_matrix), split->addWidget(below);
    split->setStretchFactor(0, 5), split->setStretchFactor(1, 5);
    split->setSizes({300, 380});
    m_foot = new QLabel(tr("post: expected · solid: reserve · ○ a good one is rejected · ● a bad one passes · hatched: "
                           "not measured · arrow: held as far as tried"),
                        this);
    m_foot->setObjectName(QStringLiteral("proofFoot"));
    m_foot->setContentsMargins(12, 3, 12, 3);
    left->insertWidget(left->count() - 1, m_foot);
    return left;
}

QWidget* ProofPage::makeApproval()
{
    auto* page = new QWidget(this);
    page->setObjectName(QStringLiteral("approval"));
    page->setFixedWidth(324);
    auto* sheet = new QVBoxLayout(page);
    sheet->setContentsMargins(14, 10, 14, 10), sheet->setSpacing(4);
    m_title = new QLabel(page);
    m_title->setObjectName(QStringLiteral("approvalTitle"));
    m_title->setTextFormat(Qt::RichText), m_title->setWordWrap(true);
    sheet->addWidget(m_title);
    auto* scroll = new QScrollArea(page);
    scroll->setWidgetResizable(true), scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* inside = new QWidget(scroll);
    auto* rows = new QVBoxLayout(inside);
    rows->setContentsMargins(0, 0, 6, 0), rows->setSpacing(3);
    m_facts = new QVBoxLayout;
    m_facts->setSpacing(2);
    rows->addLayout(m_facts);
    m_against = new QLabel(inside);
    m_against->setObjectName(QStringLiteral("against"));
    m_against->setWordWrap(true), m_against->setTextFormat(Qt::RichText);
    connect(m_against, &QLabel::linkActivated, this, [this] { compareWithBefore(); });
    rows->addWidget(m_against);
    m_points = new QVBoxLayout;
    m_points->setSpacing(2);
    rows->addLayout(m_points);
    rows->addStretch();
    scroll->setWidget(inside);
    sheet->addWidget(scroll, 1);
    auto* name = new QHBoxLayout;
    auto* nameLabel = new QLabel(tr("name"), page);
    m_name = new QLineEdit(page);
    m_name->setObjectName(QStringLiteral("approvalName"));
    m_name->setAccessibleName(tr("Who signs"));
    nameLabel->setBuddy(m_name);
    name->addWidget(nameLabel), name->addWidget(m_name, 1);
    sheet->addLayout(name);
    auto* buttons = new QHBoxLayout;
    m_sign = new QPushButton(tr("Sign …"), page);
    m_sign->setObjectName(QStringLiteral("signButton"));
    m_pdf = new QPushButton(tr("Page as PDF"), page);
    m_pdf->setObjectName(QStringLiteral("approvalPdfButton"));
    m_pdf->setToolTip(tr("The approval as it stands, with the matrix behind it  (Ctrl+Shift+A)"));
    buttons->addWidget(m_sign), buttons->addWidget(m_pdf);
    sheet->addLayout(buttons);
    return page;
}
ProofPage::~ProofPage() { stop(); }

bool ProofPage::isOld() const
{
    if (!m_proof) return false;
    const recipe::ProofAsk &now = m_session.recipe().proof, &then = m_of->recipe().proof;
    return now.changes != then.changes || now.faults != then.faults || now.uncertaintyShare != then.uncertaintyShare ||
           recipe::identity(m_session.recipe()) != m_identity;
}

void ProofPage::makeSentence()
{
    const recipe::Recipe& r = m_session.recipe();
    QStringList words;
    for (const proof::ChangeKind& kind : proof::changeKinds())
        if (const double e = proof::expectedOf(r, kind); e > 0)
            words << QString::fromUtf8(kind.label) + QLatin1Char(' ') + QString::number(e) + QLatin1Char(' ') +
                         QString::fromUtf8(kind.unit);
    const QString text = tr("Expected on the line: ") + words.join(QStringLiteral(" · "));
    m_sentence->setText(
        m_sentence->fontMetrics().elidedText(text, Qt::ElideRight, std::max(200, m_sentence->width() - 30)));
    m_sentence->setAccessibleName(text);
}

void ProofPage::refresh()
{
    makeSentence();
    // Another recipe was opened: this is no proof of it.
    const bool same = (m_made || m_running) && recipe::identity(m_session.recipe()) == m_identity;
    if (same) m_path = m_session.path(); // saved under another name
    if ((m_made || m_running) && !same && m_session.path() != m_path) {
        stop();
        m_made.reset(), m_approval = {};
    }
    // Reasons are given in the recipe.
    m_proof = m_made;
    if (m_made) {
        auto next = std::make_shared<proof::Proof>(*m_made);
        for (auto& p : next->open) {
            p.reason.clear(), p.by.clear();
            for (const auto& r : m_session.recipe().proof.reasons)
                if (r.point == p.key) p.reason = r.text, p.by = r.by;
        }
        m_proof = next;
    }
    m_matrix->show(m_proof, isOld());
    if (m_missedOf != m_made.get()) m_faults->show(m_made);
    m_sure->show(m_proof, m_session.recipe().proof.uncertaintyShare, m_session.recipe().shownIn);
    m_answer->setText(answer());
    const bool weak = m_proof && m_proof->strain.shortCells() > 0;
    m_answer->setStyleSheet(QStringLiteral("color: %1")
                                .arg((!m_proof ? report::theme().second
                                      : weak   ? report::theme().fail
                                               : report::theme().pass)
                                         .name()));
    QString weakest;
    if (m_proof && !m_proof->strain.rows.empty()) {
        const auto& row = m_proof->strain.rows.front();
        const auto* c = row.weakest();
        const auto* kind = c ? proof::findChange(c->change) : nullptr;
        weakest = c && kind && c->turn != proof::Turn::Held
                      ? tr("Weakest: %1 %2, wrong from %3 %4")
                            .arg(row.balloon > 0 ? QString::number(row.balloon) : QString(), q(row.name),
                                 QString::fromUtf8(kind->label), report::levelText(*c))
                      : tr("Weakest: %1, held as far as tried").arg(q(row.name));
        weakest += tr("\n%1 of %2 trials × %3 changes · %4 s%5")
                       .arg(m_proof->strain.samples)
                       .arg(m_proof->trials)
                       .arg(m_proof->strain.changes.size())
                       .arg(m_proof->seconds, 0, 'f', 0)
                       .arg(m_proof->quick ? tr(" · quick") : QString());
        if (m_proof->strain.bad == 0) weakest += tr(" · good trials only: no bad one is labelled");
    }
    m_weakest->setText(weakest);
    m_foot->setVisible(m_proof != nullptr);
    showApproval();
    showFlip();
    showMissed();
}

QString ProofPage::answer() const
{
    if (m_running && !m_proof) return tr("proving …");
    if (!m_proof) return tr("not proved yet");
    const int weak = m_proof->strain.shortCells(), all = m_proof->strain.cells();
    if (all == 0) return m_running ? tr("proving …") : tr("no trial to prove it on");
    return weak > 0 ? tr("%1 of %2 give way too early").arg(weak).arg(all) : tr("all %1 hold").arg(all);
}

void ProofPage::editExpected(const std::string& change)
{
    ExpectDialog(m_session, change, this).exec();
    refresh();
}

void ProofPage::prove(bool quick)
{
    if (m_running) return;
    const auto prepared = m_session.prepared();
    if (!prepared || m_session.preparing()) return emit said(tr("the recipe is still being taught: a moment"));
    if (prepared->recipe().steps.empty()) return emit said(tr("there is no step yet: nothing to prove"));
    if (prepared->recipe().trials.empty())
        return emit said(tr("there are no trials to prove it on: drop pictures in Set up and label them"));
    m_running = true;
    m_watch = std::make_shared<base::Watch>();
    m_of = prepared, m_identity = recipe::identity(prepared->recipe()), m_provedAt = now();
    m_approval = {};
    m_made.reset();
    m_path = m_session.path();
    m_bar->setValue(0);
    m_bar->show(), m_stop->show(), m_prove->hide();
    m_look.start();
    refresh();
    proof::Settings settings;
    settings.quick = quick;
    const auto sharedPrepared = prepared;
    m_job.ask([this, prepared = sharedPrepared, settings, watch = m_watch]() -> LatestJob::Answer {
        const auto told = [this, watch](const proof::Proof& soFar) {
            // First rows at once.
            auto copy = std::make_shared<const proof::Proof>(soFar);
            QMetaObject::invokeMethod(
                this,
                [this, copy, watch] {
                    if (m_running && watch == m_watch) take(copy, false);
                },
                Qt::QueuedConnection);
        };
        auto made = proof::prove(prepared, {}, settings, watch.get(), told);
        auto done = made ? std::make_shared<const proof::Proof>(std::move(*made)) : nullptr;
        const QString why = made ? QString() : q(made.error().text());
        const bool cancelled = !made && made.error().code == base::ErrorCode::Cancelled;
        return [this, done, why, cancelled] {
            m_running = false;
            m_look.stop();
            m_bar->hide(), m_stop->hide(), m_prove->show();
            if (done) take(done, true);
            else {
                emit said(cancelled ? tr("stopped; what was worked out so far is shown") : why);
                refresh();
            }
        };
    });
}
void ProofPage::stop()
{
    if (m_watch) m_watch->cancel = true;
}

void ProofPage::take(std::shared_ptr<const proof::Proof> proof, bool last)
{
    m_made = std::move(proof);
    refresh();
    if (last) { emit said(tr("proved: %1").arg(answer())); }
}

// The revision before the one in work, proved alike; it takes as long, so it is done when it is asked for.
void ProofPage::compareWithBefore()
{
    const recipe::Recipe& r = m_session.recipe();
    if (!m_made || m_running || r.history.size() < 2) return;
    const auto before = r.history[r.history.size() - 2];
    m_against->setText(tr("Against revision %1: being worked out …  (F8 stops)").arg(before->number));
    m_watch = std::make_shared<base::Watch>();
    m_beforeJob.ask([this, before, mine = m_made, of = m_of, watch = m_watch]() -> LatestJob::Answer {
        const auto failed = [this](const QString& why) -> LatestJob::Answer {
            return [this, why] {
                emit said(why);
                showApproval();
            };
        };
        auto was = recipe::recipeOf(*before);
        if (!was) return failed(q(was.error().text()));
        was->trials = of->recipe().trials, was->proof = of->recipe().proof;
        auto made = inspect::Prepared::make(std::move(*was));
        if (!made) return failed(q(made.error().text()));
        proof::Settings settings;
        settings.quick = mine->quick;
        const auto old =
            proof::prove(std::make_shared<const inspect::Prepared>(std::move(*made)), {}, settings, watch.get());
        if (!old) return failed(q(old.error().text()));
        const auto against = proof::compared(*old, *mine);
        return [this, against, mine, number = before->number] {
            if (mine != m_made) return; // it was proved anew meanwhile
            m_approval.against = against, m_approval.againstRevision = number;
            showApproval();
        };
    });
}

void ProofPage::addFacts()
{
    const report::Theme& th = report::theme();
    for (const auto& f : report::approvalFacts(*m_proof, m_session.recipe())) {
        auto* row = new QLabel(this);
        const QString colour = (f.state == report::Fact::State::Good  ? th.pass
                                : f.state == report::Fact::State::Bad ? th.fail
                                                                      : th.second)
                                   .name();
        const QString sign = f.state == report::Fact::State::Good  ? tr("met")
                             : f.state == report::Fact::State::Bad ? tr("not met")
                                                                   : tr("unknown");
        row->setTextFormat(Qt::RichText), row->setWordWrap(true);
        row->setText(
            QStringLiteral(
                "<table width='100%'><tr><td><b>%1</b></td><td align='right' style='color:%2'><b>%3</b></td></tr>"
                "<tr><td colspan='2' style='color:%4; font-size:12px'><span style='color:%2'>%5</span> · "
                "%6</td></tr></table>")
                .arg(f.what.toHtmlEscaped(), colour, f.figure.toHtmlEscaped(), th.second.name(), sign,
                     f.detail.toHtmlEscaped()));
        row->setAccessibleName(f.what + QStringLiteral(": ") + sign + QStringLiteral(", ") + f.figure);
        m_facts->addWidget(row);
    }
}

// How many of them have no reason yet.
std::size_t ProofPage::addPoints()
{
    const report::Theme& th = report::theme();
    std::size_t without = 0;
    for (const auto& p : m_proof->open) without += p.reason.empty();
    auto* head = new QLabel(m_proof->open.empty()
                                ? tr("No open points")
                                : tr("%1 open points, %2 without a reason").arg(m_proof->open.size()).arg(without),
                            this);
    head->setObjectName(QStringLiteral("openHead"));
    head->setStyleSheet(QStringLiteral("font-weight: bold; padding-top: 6px"));
    m_points->addWidget(head);
    constexpr std::size_t kFirst = 6;
    for (std::size_t i = 0; i < m_proof->open.size() && (m_allPoints || i < kFirst); ++i) {
        const auto& p = m_proof->open[i];
        auto* row = new QLabel(this);
        row->setObjectName(QStringLiteral("point%1").arg(i));
        row->setWordWrap(true), row->setTextFormat(Qt::RichText);
        row->setTextInteractionFlags(Qt::LinksAccessibleByMouse | Qt::LinksAccessibleByKeyboard);
        const QString link = p.reason.empty() ? tr("reason …") : q(p.reason).toHtmlEscaped();
        row->setText(QStringLiteral("%1 <a href='reason' style='color:%2'>%3</a>")
                         .arg(q(p.text).toHtmlEscaped(), th.datum.name(), link));
        row->setToolTip(p.reason.empty()
                            ? tr("To do: %1; or say why it is no reason against the recipe").arg(q(p.remedy))
                            : tr("%1, by %2; click to change it").arg(q(p.reason), q(p.by)));
        connect(row, &QLabel::linkActivated, this, [this, key = p.key] { giveReason(key); });
        m_points->addWidget(row);
    }
    if (m_proof->open.size() > kFirst) {
        auto* more = new QToolButton(this);
        more->setObjectName(QStringLiteral("morePoints"));
        more->setProperty("chip", true);
        more->setText(m_allPoints ? tr("fewer") : tr("%1 more …").arg(m_proof->open.size() - kFirst));
        connect(more, &QToolButton::clicked, this, [this] {
            m_allPoints = !m_allPoints;
            showApproval();
        });
        m_points->addWidget(more);
    }
    return without;
}

void ProofPage::showApproval()
{
    const report::Theme& th = report::theme();
    const auto clear = [](QLayout* l) {
        while (QLayoutItem* item = l->takeAt(0)) {
            if (item->widget()) item->widget()->deleteLater();
            delete item;
        }
    };
    clear(m_facts), clear(m_points);
    const recipe::Recipe& r = m_session.recipe();
    const bool old = isOld();
    const QString state =
        !m_approval.by.isEmpty() && !old ? tr("signed by %1").arg(m_approval.by.toHtmlEscaped()) : tr("not signed");
    m_title->setText(
        QStringLiteral("<div style='font-size:20px'>%1</div><div style='color:%2'>%3 · %4 · %5<br>%6</div>")
            .arg(tr("Approval"), th.second.name(), q(r.name).toHtmlEscaped(), tr("revision %1").arg(r.revision),
                 q(recipe::identity(r).substr(0, 12)),
                 m_proof ? tr("proved %1 · %2").arg(m_provedAt, old ? tr("old") : state) : tr("not proved yet")));
    std::size_t without = 0;
    m_against->clear();
    if (m_proof) {
        addFacts();
        if (m_approval.againstRevision > 0) {
            QString text = tr("<b>Against revision %1</b><br>%2 better, %3 worse")
                               .arg(m_approval.againstRevision)
                               .arg(m_approval.against.better.size())
                               .arg(m_approval.against.worse.size());
            for (const auto& w : m_approval.against.worse)
                text += QStringLiteral("<br><span style='color:%1'>%2</span>")
                            .arg(th.fail.name(), tr("worse: %1").arg(q(w).toHtmlEscaped()));
            m_against->setText(text);
        } else if (r.history.size() > 1 && !m_running && !m_beforeJob.busy())
            m_against->setText(tr("<a href='compare' style='color:%1'>Compare with revision %2</a>")
                                   .arg(th.datum.name())
                                   .arg(r.history[r.history.size() - 2]->number));
        without = addPoints();
    }
    QString why;
    if (!m_proof || m_running) why = tr("it is not proved yet");
    else if (!m_proof->whole) why = tr("it was stopped before its end");
    else if (old) why = tr("the recipe was changed since it was proved");
    else if (m_proof->quick) why = tr("a quick proof is too rough to sign: F6 proves it in full");
    else if (without > 0)
        why = tr("%1 without a reason").arg(counted(int(without), tr("open point is"), tr("open points are")));
    else if (m_name->text().trimmed().isEmpty() && m_who().isEmpty()) why = tr("nobody is named who signs");
    m_sign->setEnabled(why.isEmpty());
    m_sign->setToolTip(why.isEmpty() ? tr("Writes the page with your name; it is fixed then")
                                     : tr("Cannot be signed: %1").arg(why));
    m_name->setPlaceholderText(m_who());
    m_pdf->setEnabled(m_proof && !m_running);
    m_actions[QStringLiteral("approvalPdf")]->setEnabled(m_proof && !m_running);
}

void ProofPage::giveReason(const std::string& point)
{
    if (!m_proof) return;
    const auto it =
        std::find_if(m_proof->open.begin(), m_proof->open.end(), [&](const auto& p) { return p.key == point; });
    if (it == m_proof->open.end()) return;
    QInputDialog ask(this);
    ask.setObjectName(QStringLiteral("reasonDialog"));
    ask.setWindowTitle(tr("Why is it no reason against the recipe?"));
    ask.setLabelText(q(it->text) + tr("\n\nEmpty: it stays open."));
    ask.setTextValue(q(it->reason));
    ask.resize(480, 160);
    if (ask.exec() != QDialog::Accepted) return;
    const std::string text = ask.textValue().trimmed().toStdString();
    const QString by = !m_name->text().trimmed().isEmpty() ? m_name->text().trimmed() : m_who();
    m_session.change(tr("reason"), [&](recipe::Recipe& r) {
        auto& all = r.proof.reasons;
        all.erase(std::remove_if(all.begin(), all.end(), [&](const auto& x) { return x.point == point; }), all.end());
        if (!text.empty())
            all.push_back(
                {point, text, by.toStdString(), QDateTime::currentDateTimeUtc().toString(Qt::ISODate).toStdString()});
    });
    refresh();
}

void ProofPage::showFlip()
{
    const auto* row = m_matrix->chosenRow();
    const auto* cell = m_matrix->chosenCell();
    if (!m_proof || !row || !cell || !m_of) {
        m_flipOf = {};
        return m_flip->show(nullptr, tr("Choose a cell above: the picture that turned is shown here, and how its value "
                                        "goes as the change grows."));
    }
    const std::pair<const proof::Proof*, int> which{m_made.get(), m_matrix->row() * 1000 + m_matrix->column()};
    if (m_flipOf == which) return;
    m_flipOf = which;
    const proof::Proof& p = *m_proof;
    int sample = cell->sample;
    if (sample < 0) { // held: any good one shows how much room there is
        for (std::size_t i = 0; i < p.samples.size() && sample < 0; ++i)
            if (!p.samples[i].bad && p.samples[i].result.accepted()) sample = int(i);
    }
    if (sample < 0 || sample >= int(p.samples.size()) || !p.samples[std::size_t(sample)].capture)
        return m_flip->show(nullptr, tr("There is no picture to show"));
    const auto proofKept = m_proof;
    const auto of = m_of;
    const std::string step = row->step, output = row->output, change = cell->change;
    const QString name =
        (row->balloon > 0 ? QString::number(row->balloon) + QLatin1Char(' ') : QString()) + q(row->name);
    const proof::Cell c = *cell;
    m_flipJob.ask([this, proofKept, of, sample, step, output, change, name, c]() -> LatestJob::Answer {
        const proof::Sample& s = proofKept->samples[std::size_t(sample)];
        const auto* kind = proof::findChange(change);
        auto flip = std::make_shared<Flip>();
        const std::uint64_t seed = c.seed ? c.seed : proof::seedOf(1, s.trial, change);
        flip->expected = c.expected, flip->level = c.level, flip->holds = c.holds(),
        flip->turns = c.turn != proof::Turn::Held, flip->bad = s.bad;
        flip->unit = QString::fromUtf8(kind ? kind->unit : "");
        flip->title = tr("%1, %2 · %3, %4")
                          .arg(name, QString::fromUtf8(kind ? kind->label : ""), QFileInfo(q(s.picture)).fileName(),
                               s.bad ? tr("bad") : tr("good"));
        flip->taken = tr("as taken"),
        flip->turned = QString::fromUtf8(kind ? kind->label : "") + QLatin1Char(' ') + report::levelText(c);
        const auto after = proof::changed(*s.capture, change, c.level, seed);
        Sight sight = sightOf(s.result, step);
        flip->before = seen(*s.capture, sight, {220, 136});
        flip->after = seen(after, sight, {220, 136});
        std::vector<double> levels;
        const double most = std::max(1.25 * c.expected, 1.15 * c.level);
        for (int i = 0; i <= 8; ++i) levels.push_back(most * i / 8);
        flip->response =
            output.empty() ? proof::Response{} : proof::response(*of, s, step, output, change, levels, seed);
        flip->valueUnit = q(base::symbol(flip->response.unit));
        return [this, flip] { m_flip->show(flip, {}); };
    });
}

void ProofPage::showMissed()
{
    if (!m_made || m_running || m_missedOf == m_made.get()) return;
    m_missedOf = m_made.get();
    for (const auto& d : m_made->faults) {
        if (!(d.gap || (d.asked && !d.met())) || !d.missed) continue;
        const auto& m = *d.missed;
        if (m.sample < 0 || m.sample >= int(m_proof->samples.size())) continue;
        const auto* kind = proof::findFault(d.kind);
        const QString what =
            d.gap ? tr("Gap: %1%2\nno check sees it")
                        .arg(q(kind ? kind->label : d.kind),
                             d.sizes.back().size > 0
                                 ? tr(" to %1 %2").arg(d.sizes.back().size, 0, 'g', 2).arg(q(base::symbol(d.unit)))
                                 : QString())
                  : tr("%1: this one passes").arg(q(kind ? kind->label : d.kind));
        const proof::Sample& s = m_proof->samples[std::size_t(m.sample)];
        if (!s.capture) continue;
        m_faults->showMissed({}, what);
        m_missedJob.ask([this, kept = m_proof, of = m_of, m, kindKey = d.kind, what]() -> LatestJob::Answer {
            const proof::Sample& sample = kept->samples[std::size_t(m.sample)];
            const auto anatomy = proof::anatomyFor(of->recipe(), sample);
            if (!anatomy) return {};
            const auto made = proof::planted(*sample.capture, *anatomy, kindKey, m.size, m.seed);
            if (!made) return {};
            const double half = std::max(24.0, 1.6 * made->radius);
            QImage picture = cutOut(made->capture.first(), made->at, half, 0, {90, 48});
            QPainter p(&picture);
            p.setRenderHint(QPainter::Antialiasing);
            p.setPen(QPen(report::lightTheme().fail, 2 * picture.devicePixelRatio()));
            const double r = made->radius * picture.height() / (2 * half) / picture.devicePixelRatio();
            p.drawEllipse(QPointF(picture.width(), picture.height()) / (2 * picture.devicePixelRatio()), r, r);
            p.end();
            return [this, picture, what] { m_faults->showMissed(picture, what); };
        });
        return;
    }
}

void ProofPage::openChosen()
{
    const auto* row = m_matrix->chosenRow();
    const auto* cell = m_matrix->chosenCell();
    if (!m_proof || !row || !cell) return;
    if (cell->sample < 0) return emit said(tr("it held: no picture turned"));
    emit openWanted(m_proof->samples[std::size_t(cell->sample)].trial, row->step, row->output);
}

base::Status ProofPage::writePdf(const QString& path) const
{
    if (!m_proof) return base::fail(base::ErrorCode::NotFound, "it is not proved yet");
    report::Approval a = m_approval;
    a.proved = m_provedAt;
    return report::writeProofPdf(path, *m_proof, m_of->recipe(), a, report::Paper::A4);
}
void ProofPage::save()
{
    if (!m_proof || m_running) return;
    const QString stem = q(m_proof->recipe) + tr(" revision %1 approval").arg(m_proof->revision);
    const QString path = QFileDialog::getSaveFileName(this, tr("Page as PDF"), stem + QStringLiteral(".pdf"),
                                                      tr("PDF (*.pdf)"), nullptr, QFileDialog::DontUseNativeDialog);
    if (path.isEmpty()) return;
    if (const auto ok = writePdf(path); !ok) emit said(q(ok.error().text()));
    else emit said(tr("written: %1").arg(QFileInfo(path).fileName()));
}

base::Status ProofPage::sign(const QString& path)
{
    if (!m_sign->isEnabled()) return base::fail(base::ErrorCode::InvalidArgument, m_sign->toolTip().toStdString());
    const QString by = m_name->text().trimmed().isEmpty() ? m_who() : m_name->text().trimmed();
    const report::Approval before = m_approval;
    m_approval.by = by, m_approval.at = now();
    // What it rests on, beside it: the figures, and the sum of both the recipe and them.
    nlohmann::json j = proof::toJson(*m_proof);
    j["approval"] = {{"signed_by", by.toStdString()},
                     {"at", QDateTime::currentDateTimeUtc().toString(Qt::ISODate).toStdString()}};
    j["sha256"] = base::sha256(j.dump());
    const QString beside =
        QFileInfo(path).path() + QLatin1Char('/') + QFileInfo(path).completeBaseName() + QStringLiteral(".json");
    base::Status ok = writePdf(path);
    if (ok) ok = base::writeAtomic(base::realFiles(), beside.toStdString(), j.dump(2) + "\n");
    if (!ok) {
        m_approval = before;
        return ok;
    }
    emit signedOff(QStringLiteral("approval signed"), q(m_proof->recipe) + tr(" revision %1").arg(m_proof->revision),
                   by + QStringLiteral(" · ") + q(m_proof->identity.substr(0, 12)));
    emit said(tr("signed by %1: %2, and what it rests on beside it").arg(by, QFileInfo(path).fileName()));
    showApproval();
    return {};
}

} // namespace desktop
