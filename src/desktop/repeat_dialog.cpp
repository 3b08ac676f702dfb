#include "desktop/repeat_dialog.h"

#include "base/files.h"
#include "image/decode.h"
#include "inspect/picture_noise.h"
#include "report/study_report.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QDir>
#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QHeaderView>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>
#include <QSpinBox>
#include <QTabWidget>
#include <QTableWidget>
#include <QVBoxLayout>

namespace desktop
{
namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
QTableWidget* table(QWidget* parent, const char* name, const QStringList& heads)
{
    auto* t = new QTableWidget(0, int(heads.size()), parent);
    t->setObjectName(QLatin1String(name));
    t->setHorizontalHeaderLabels(heads);
    t->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    t->verticalHeader()->hide();
    t->setEditTriggers(QAbstractItemView::NoEditTriggers);
    return t;
}
void put(QTableWidget* t, int row, const QStringList& texts)
{
    if (t->rowCount() <= row) t->insertRow(row);
    for (int c = 0; c < texts.size(); ++c) {
        auto* i = new QTableWidgetItem(texts[c]);
        if (c) i->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
        t->setItem(row, c, i);
    }
}
} // namespace

RepeatDialog::RepeatDialog(Session& session, QWidget* parent) : QDialog(parent), m_session(session), m_work(this)
{
    setObjectName(QStringLiteral("repeatDialog"));
    setWindowTitle(tr("Repeatability"));
    resize(1040, 600);
    auto* whole = new QVBoxLayout(this);
    m_tabs = new QTabWidget(this);
    m_tabs->addTab(gaugeTab(), tr("One part, many takes"));
    m_tabs->addTab(studyTab(), tr("Parts × persons × repeats"));
    whole->addWidget(m_tabs);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    whole->addWidget(buttons);
    connect(&m_work, &Background::progressed, this,
            [this](int done, int of) { m_progress->setRange(0, of), m_progress->setValue(done); });
}

QWidget* RepeatDialog::gaugeTab()
{
    auto* tab = new QWidget(this);
    auto* layout = new QVBoxLayout(tab);
    auto* row = new QHBoxLayout;
    m_from = new QComboBox(tab);
    m_from->setObjectName(QStringLiteral("repeatFrom"));
    m_from->addItems({tr("noisy copies of the picture in view"), tr("trials: takes of one part")});
    m_copies = new QSpinBox(tab);
    m_copies->setObjectName(QStringLiteral("repeatCopies"));
    m_copies->setRange(5, 1000);
    m_copies->setValue(25);
    m_copies->setPrefix(tr("copies "));
    const auto trial = [&](const char* name, const QString& prefix, int value) {
        auto* s = new QSpinBox(tab);
        s->setObjectName(QLatin1String(name));
        s->setRange(1, std::max(1, m_session.trialCount()));
        s->setValue(value);
        s->setPrefix(prefix);
        s->hide();
        return s;
    };
    m_first = trial("repeatFirst", tr("from trial "), 1);
    m_last = trial("repeatLast", tr("to trial "), m_session.trialCount());
    connect(m_from, &QComboBox::currentIndexChanged, this, [this](int i) {
        m_copies->setVisible(i == 0);
        m_first->setVisible(i == 1), m_last->setVisible(i == 1);
    });
    m_start = new QPushButton(tr("Measure"), tab);
    m_start->setObjectName(QStringLiteral("repeatStart"));
    connect(m_start, &QPushButton::clicked, this, &RepeatDialog::measure);
    row->addWidget(m_from, 1);
    row->addWidget(m_copies);
    row->addWidget(m_first);
    row->addWidget(m_last);
    row->addWidget(m_start);
    layout->addLayout(row);
    auto* factors = new QHBoxLayout;
    const auto factor = [&](const char* name, double v, const QString& tip) {
        auto* s = new QDoubleSpinBox(tab);
        s->setObjectName(QLatin1String(name));
        s->setRange(0.001, 100), s->setDecimals(3), s->setValue(v), s->setToolTip(tip);
        connect(s, &QDoubleSpinBox::valueChanged, this, [this] { showTakes(); });
        factors->addWidget(s);
        return s;
    };
    factors->addWidget(new QLabel(QStringLiteral("Cg ="), tab));
    m_share = factor("gaugeShare", 0.2, tr("Share of the tolerance T"));
    factors->addWidget(new QLabel(QStringLiteral("· T / ("), tab));
    m_width = factor("gaugeWidth", 6, tr("Spreads s"));
    factors->addWidget(new QLabel(QStringLiteral("· s)     Cgk = ("), tab));
    m_half = factor("gaugeHalf", 0.1, tr("Share of the tolerance T"));
    factors->addWidget(new QLabel(QStringLiteral("· T − |bias|) / ("), tab));
    m_reach = factor("gaugeReach", 3, tr("Spreads s"));
    factors->addWidget(new QLabel(QStringLiteral("· s)"), tab));
    factors->addStretch();
    layout->addLayout(factors);
    m_table = table(tab, "repeatTable",
                    {tr("check"), tr("true value"), tr("takes"), tr("mean"), tr("spread s"), tr("bias"),
                     tr("tolerance T"), QStringLiteral("Cg"), QStringLiteral("Cgk"), tr("uncertainty U")});
    m_table->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::AnyKeyPressed);
    connect(m_table, &QTableWidget::itemChanged, this, [this](QTableWidgetItem* i) {
        if (i->column() == 1) showTakes();
    });
    layout->addWidget(m_table, 1);
    m_state = new QLabel(tr("Noisy copies say what the camera's noise alone does. Takes of one part, put in anew each "
                            "time, say what the whole gauge does."),
                         tab);
    m_state->setObjectName(QStringLiteral("repeatState"));
    m_state->setWordWrap(true);
    layout->addWidget(m_state);
    auto* end = new QHBoxLayout;
    m_progress = new QProgressBar(tab);
    m_progress->hide();
    m_stop = new QPushButton(tr("Stop"), tab);
    m_stop->hide();
    connect(m_stop, &QPushButton::clicked, this, [this] {
        m_work.stop();
        m_progress->hide(), m_stop->hide(), m_start->setEnabled(true);
    });
    m_take = new QPushButton(tr("Take U as each check's uncertainty"), tab);
    m_take->setObjectName(QStringLiteral("takeUncertainty"));
    m_take->setEnabled(false);
    connect(m_take, &QPushButton::clicked, this, &RepeatDialog::takeUncertainties);
    end->addWidget(m_progress, 1);
    end->addWidget(m_stop);
    end->addStretch();
    end->addWidget(m_take);
    layout->addLayout(end);
    return tab;
}

void RepeatDialog::measure()
{
    const auto prepared = m_session.prepared();
    auto results = std::make_shared<std::vector<inspect::PictureResult>>();
    if (m_from->currentIndex() == 1) { // what the trials have answered already
        const int first = std::min(m_first->value(), m_last->value()),
                  last = std::max(m_first->value(), m_last->value());
        for (int t = first; t <= last; ++t)
            if (const auto* r = m_session.result(t - 1); r && !r->error) results->push_back(*r);
        std::vector<const inspect::PictureResult*> all;
        for (const auto& r : *results) all.push_back(&r);
        m_takes = inspect::takesOf(prepared->recipe(), all);
        return showTakes();
    }
    const auto capture = m_session.capture();
    if (!capture) return m_state->setText(tr("No picture is in view"));
    results->resize(std::size_t(m_copies->value()));
    m_start->setEnabled(false), m_progress->show(), m_stop->show();
    m_work.start(
        m_copies->value(),
        [this, prepared, capture, results] {
            const double noise = inspect::pictureNoise(*capture);
            for (std::size_t i = 0; i < results->size() && !m_work.cancel; ++i) {
                (*results)[i] = inspect::evaluate(*prepared, inspect::noisyCapture(*capture, noise, i + 1), nullptr,
                                                  &m_work.cancel, 0);
                ++m_work.done;
            }
        },
        [this, prepared, results] {
            m_start->setEnabled(true), m_progress->hide(), m_stop->hide();
            std::vector<const inspect::PictureResult*> all;
            for (const auto& r : *results) all.push_back(&r);
            m_takes = inspect::takesOf(prepared->recipe(), all);
            showTakes();
        });
}

void RepeatDialog::showTakes()
{
    if (!m_take) return; // not made yet
    const QSignalBlocker quiet(m_table);
    const recipe::Recipe& r = m_session.recipe();
    const inspect::GaugeFactors factors{m_share->value(), m_width->value(), m_half->value(), m_reach->value(), 2};
    std::vector<std::optional<double>> truths(m_takes.size());
    for (std::size_t i = 0; i < truths.size(); ++i)
        if (auto* item = int(i) < m_table->rowCount() ? m_table->item(int(i), 1) : nullptr) {
            bool right = false;
            const double v = item->text().trimmed().replace(QLatin1Char(','), QLatin1Char('.')).toDouble(&right);
            if (right) truths[i] = base::converted(v, base::shownAs(m_takes[i].unit, r.shownIn), m_takes[i].unit);
        }
    m_table->setRowCount(int(m_takes.size()));
    for (std::size_t i = 0; i < m_takes.size(); ++i) {
        const auto& t = m_takes[i];
        const auto made = inspect::repeatability(t.values, t.tolerance, truths[i], factors);
        const base::Unit shown = base::shownAs(t.unit, r.shownIn);
        const auto text = [&](std::optional<double> v, int more) {
            return v ? q(base::toText(base::converted(*v, t.unit, shown),
                                      base::decimals(shown) + more + (shown == base::Unit::None ? 2 : 0)) +
                         " " + base::symbol(shown))
                     : QStringLiteral("–");
        };
        const auto plain = [](std::optional<double> v) {
            return v ? QString::number(*v, 'f', 2) : QStringLiteral("–");
        };
        put(m_table, int(i),
            {q(t.name), truths[i] ? QString::number(base::converted(*truths[i], t.unit, shown)) : QString(),
             QString::number(t.values.size()) + (t.left ? tr(" (%1 without)").arg(t.left) : QString()),
             made ? text(made->mean, 1) : QStringLiteral("–"), made ? text(made->spread, 2) : QStringLiteral("–"),
             made ? text(made->bias, 1) : QStringLiteral("–"), text(t.tolerance, 0),
             made ? plain(made->cg) : QStringLiteral("–"), made ? plain(made->cgk) : QStringLiteral("–"),
             made ? text(made->uncertainty, 2) : q(made.error().message)});
        for (int c = 0; c < m_table->columnCount(); ++c)
            if (c != 1) m_table->item(int(i), c)->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
        m_table->item(int(i), 1)->setToolTip(
            tr("Type the true value of this part, if it is known: it gives bias and Cgk"));
    }
    m_take->setEnabled(!m_takes.empty());
    if (!m_takes.empty())
        m_state->setText(tr("Double-click a true value to state it. U = 2 · √(s² + bias² / 3); practice asks Cg and "
                            "Cgk of 1.33 or more."));
}

void RepeatDialog::takeUncertainties()
{
    int taken = 0;
    m_session.change(tr("take uncertainties"), [&](recipe::Recipe& r) {
        for (std::size_t i = 0; i < m_takes.size(); ++i) {
            const auto& t = m_takes[i];
            bool right = false;
            const double truth =
                m_table->item(int(i), 1)->text().replace(QLatin1Char(','), QLatin1Char('.')).toDouble(&right);
            const auto made = inspect::repeatability(
                t.values, t.tolerance,
                right ? std::optional(base::converted(truth, base::shownAs(t.unit, r.shownIn), t.unit)) : std::nullopt);
            recipe::Step* s = r.find(t.step);
            if (!made || !s) continue;
            for (recipe::Check& c : s->checks)
                if (c.output == t.output && c.limits.any() && base::convertible(t.unit, c.limits.unit))
                    c.uncertainty = base::converted(made->uncertainty, t.unit, c.limits.unit), ++taken;
        }
    });
    m_state->setText(
        tr("Uncertainties taken: %1%2")
            .arg(taken)
            .arg(m_session.recipe().guardBand ? QString() : tr("; the guard band is off in the recipe's settings")));
}

QWidget* RepeatDialog::studyTab()
{
    auto* tab = new QWidget(this);
    auto* layout = new QVBoxLayout(tab);
    auto* row = new QHBoxLayout;
    auto* open = new QPushButton(tr("Open values… (CSV: part, person, value)"), tab);
    open->setObjectName(QStringLiteral("openStudy"));
    connect(open, &QPushButton::clicked, this, [this] {
        const QString file =
            QFileDialog::getOpenFileName(this, tr("Values of the study"), QString(), tr("CSV (*.csv *.txt)"), nullptr,
                                         QFileDialog::DontUseNativeDialog);
        if (!file.isEmpty()) openStudy(file);
    });
    m_tolerance = new QDoubleSpinBox(tab);
    m_tolerance->setObjectName(QStringLiteral("studyTolerance"));
    m_tolerance->setRange(0, 1e9), m_tolerance->setDecimals(4);
    m_tolerance->setSpecialValueText(tr("no tolerance"));
    m_tolerance->setPrefix(tr("T = "));
    connect(m_tolerance, &QDoubleSpinBox::valueChanged, this, &RepeatDialog::showStudy);
    m_studyCheck = new QComboBox(tab);
    m_studyCheck->setObjectName(QStringLiteral("studyCheck"));
    m_studyCheck->setAccessibleName(tr("Check of the study"));
    for (const auto& t : inspect::takesOf(m_session.recipe(), {})) m_studyCheck->addItem(q(t.name));
    auto* trials = new QPushButton(tr("From the trials"), tab);
    trials->setObjectName(QStringLiteral("studyTrials"));
    trials->setToolTip(
        tr("Pictures named part-person-take, such as p1-anna-1.png: part and person are read from the name"));
    connect(trials, &QPushButton::clicked, this, &RepeatDialog::studyTrials);
    row->addWidget(open);
    row->addSpacing(16);
    row->addWidget(m_studyCheck);
    row->addWidget(trials);
    m_studyPdf = new QPushButton(tr("PDF…"), tab);
    m_studyPdf->setObjectName(QStringLiteral("studyPdf"));
    m_studyPdf->setToolTip(tr("Writes the study as a report"));
    m_studyPdf->setEnabled(false);
    connect(m_studyPdf, &QPushButton::clicked, this, [this] {
        QFileDialog dialog(this, tr("Report of the study"), QDir::homePath(), tr("PDF (*.pdf)"));
        dialog.setAcceptMode(QFileDialog::AcceptSave);
        dialog.setDefaultSuffix(QStringLiteral("pdf"));
        dialog.setOption(QFileDialog::DontUseNativeDialog);
        if (!dialog.exec() || dialog.selectedFiles().isEmpty()) return;
        const auto wide = m_tolerance->value() > 0 ? std::optional(m_tolerance->value()) : std::nullopt;
        const auto s = inspect::study(m_values, wide);
        const auto ok = s ? report::writeStudyReport(dialog.selectedFiles().front(), *s, m_values, wide, m_studyOf, {},
                                                     report::Paper::A4)
                          : base::Status(tl::unexpected<base::Error>(s.error()));
        m_studyState->setText(ok ? tr("written to %1").arg(dialog.selectedFiles().front()) : q(ok.error().text()));
    });
    row->addWidget(m_studyPdf);
    row->addStretch();
    row->addWidget(m_tolerance);
    layout->addLayout(row);
    m_anova = table(tab, "anovaTable",
                    {tr("source"), QStringLiteral("DF"), QStringLiteral("SS"), QStringLiteral("MS"),
                     QStringLiteral("F"), QStringLiteral("p")});
    m_parts = table(tab, "componentTable",
                    {tr("source"), tr("variance"), tr("spread"), tr("% of total"), tr("% of tolerance")});
    layout->addWidget(m_anova, 1);
    layout->addWidget(m_parts, 1);
    m_studyState = new QLabel(tr("Each part measured by each person equally often, at least twice; from a CSV, or from "
                                 "trials named part-person-take."),
                              tab);
    m_studyState->setObjectName(QStringLiteral("studyState"));
    m_studyState->setWordWrap(true);
    layout->addWidget(m_studyState);
    return tab;
}

void RepeatDialog::openStudy(const QString& file)
{
    if (!file.isEmpty()) {
        m_tabs->setCurrentIndex(1);
        const auto text = base::readFile(file.toStdString());
        if (!text) return m_studyState->setText(q(text.error().text()));
        auto values = inspect::studyFromCsv(*text, QFileInfo(file).fileName().toStdString());
        if (!values) return m_studyState->setText(q(values.error().text()));
        m_studyOf = QFileInfo(file).fileName();
        m_values = std::move(*values);
    }
    showStudy();
}

void RepeatDialog::studyTrials()
{
    const auto takes = inspect::takesOf(m_session.recipe(), {});
    const int at = m_studyCheck->currentIndex();
    if (at < 0 || at >= int(takes.size()))
        return m_studyState->setText(tr("The recipe has no check with a single value"));
    std::vector<const inspect::PictureResult*> all;
    for (const auto* r : m_session.results())
        if (r) all.push_back(r);
    auto values = inspect::studyFromPictures(all, takes[std::size_t(at)].step, takes[std::size_t(at)].output);
    m_anova->setRowCount(0), m_parts->setRowCount(0);
    m_values.clear();
    if (!values) return m_studyState->setText(q(values.error().text()));
    m_values = std::move(*values);
    m_studyOf = m_studyCheck->currentText();
    if (const auto t = takes[std::size_t(at)].tolerance; t && m_tolerance->value() == 0) {
        const QSignalBlocker quiet(m_tolerance);
        m_tolerance->setValue(*t);
    }
    showStudy();
}

void RepeatDialog::showStudy()
{
    if (m_values.empty()) return;
    m_anova->setRowCount(0), m_parts->setRowCount(0);
    const auto s =
        inspect::study(m_values, m_tolerance->value() > 0 ? std::optional(m_tolerance->value()) : std::nullopt);
    m_studyPdf->setEnabled(s.has_value());
    if (!s) return m_studyState->setText(q(s.error().text()));
    const auto number = [](double v) { return QString::number(v, 'g', 6); };
    for (const auto& r : s->table)
        put(m_anova, m_anova->rowCount(),
            {q(r.source), QString::number(r.freedom), number(r.squares),
             r.source == "total" ? QString() : number(r.mean), r.f ? number(*r.f) : QString(),
             !r.p            ? QString()
             : *r.p < 0.0001 ? tr("below 0.0001")
                             : QString::number(*r.p, 'f', 4)});
    for (const auto& c : s->components)
        put(m_parts, m_parts->rowCount(),
            {q(c.source), number(c.variance), number(c.spread), QString::number(c.shareOfTotal, 'f', 2),
             c.shareOfTolerance ? QString::number(*c.shareOfTolerance, 'f', 2) : QString()});
    m_parts->setColumnHidden(4, m_tolerance->value() <= 0);
    m_studyState->setText(
        tr("%1 parts × %2 persons × %3 repeats; %4 categories can be told apart%5")
            .arg(s->parts)
            .arg(s->persons)
            .arg(s->repeats)
            .arg(s->categories)
            .arg(s->pooled ? tr("; the interaction is small and went into the repeatability") : QString()));
}

} // namespace desktop
