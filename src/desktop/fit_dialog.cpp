#include "desktop/fit_dialog.h"

#include "inspect/labels.h"

#include <QDialogButtonBox>
#include <QFormLayout>
#include <QVBoxLayout>
#include <algorithm>

namespace desktop
{
using namespace recipe;
using report::theme;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
} // namespace

FitDialog::FitDialog(Session& session, const std::string& step, const std::string& output, QWidget* parent)
    : QDialog(parent), m_session(session), m_step(step), m_output(output)
{
    const Step& s = *session.recipe().find(step);
    setObjectName(QStringLiteral("fitDialog"));
    setWindowTitle(tr("Fit %1 to the labels").arg(q(s.name)));
    resize(560, 420);
    auto* layout = new QVBoxLayout(this);
    m_setting = new QComboBox(this);
    m_setting->setObjectName(QStringLiteral("fitSetting"));
    for (const ParamSpec* p : inspect::settingsToFit(s)) m_setting->addItem(q(p->label), q(p->key));
    auto* form = new QFormLayout;
    form->addRow(tr("Setting"), m_setting);
    layout->addLayout(form);
    m_plot = new EvidencePlot(this);
    m_plot->setObjectName(QStringLiteral("fitPlot"));
    layout->addWidget(m_plot, 1);
    m_words = new QLabel(this);
    m_words->setObjectName(QStringLiteral("fitWords"));
    m_words->setWordWrap(true);
    m_words->setMinimumHeight(40);
    layout->addWidget(m_words);
    m_progress = new QProgressBar(this);
    m_progress->setTextVisible(false);
    m_progress->setMaximumHeight(6);
    layout->addWidget(m_progress);
    auto* buttons = new QDialogButtonBox(this);
    m_take = buttons->addButton(tr("Take it"), QDialogButtonBox::AcceptRole);
    m_take->setObjectName(QStringLiteral("fitTake"));
    m_take->setDefault(true);
    buttons->addButton(QDialogButtonBox::Cancel);
    connect(buttons, &QDialogButtonBox::accepted, this, &FitDialog::take);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    layout->addWidget(buttons);
    connect(m_setting, &QComboBox::currentIndexChanged, this, &FitDialog::start);
    start();
}
FitDialog::~FitDialog() { stop(); }

void FitDialog::stop()
{
    if (m_cancel) *m_cancel = true;
    if (m_thread.joinable()) m_thread.join();
    m_running = false;
}

void FitDialog::start()
{
    stop();
    m_tried.clear();
    m_take->setEnabled(false);
    const Step& s = *m_session.recipe().find(m_step);
    const std::string key = m_setting->currentData().toString().toStdString();
    const ParamSpec* spec = findKind(s.kind)->param(key);
    if (!spec) return m_words->setText(tr("This step has no number that could be searched"));
    m_now = std::get<double>(spec->get(s.params));
    auto trials = inspect::trialsThatCount(m_session.recipe(), m_session.results(), m_step, m_output);
    // So many that the answer comes while one waits for it; the bad ones are what matters.
    if (trials.size() > 60) {
        std::stable_sort(trials.begin(), trials.end(), [&](int a, int b) {
            const auto bad = [&](int t) {
                return inspect::labelOf(m_session.recipe().trials[std::size_t(t)]) == Label::Bad;
            };
            return bad(a) > bad(b);
        });
        trials.resize(60);
    }
    const auto values = inspect::valuesToTry(*spec, m_now);
    m_asked = int(values.size());
    m_progress->setRange(0, m_asked);
    m_progress->setValue(0);
    m_running = true;
    m_cancel = std::make_shared<std::atomic<bool>>(false);
    const int run = ++m_run;
    // Pictures are kept between the values; they come from the same cache the trials use.
    m_thread = std::thread([this, run, key, values, trials, recipe = m_session.recipe(), cancel = m_cancel,
                            cache = m_session.captures()] {
        inspect::SettingSearch search(recipe, m_step, m_output, trials,
                                      [&](const std::string& picture) { return cache->get(picture, recipe.pictures); });
        for (std::size_t i = 0; i < values.size() && !*cancel; ++i) {
            auto margin =
                std::make_shared<base::Result<inspect::SettingMargin>>(search.at(key, values[i], cancel.get()));
            const bool last = i + 1 == values.size();
            QMetaObject::invokeMethod(
                this, [this, run, margin, last] { answered(run, std::move(*margin), last); }, Qt::QueuedConnection);
        }
    });
    m_words->setText(tr("Trying %1 values on %2 labelled trials …").arg(values.size()).arg(trials.size()));
    draw();
}

void FitDialog::answered(int run, base::Result<inspect::SettingMargin> margin, bool last)
{
    if (run != m_run) return;
    m_progress->setValue(m_progress->value() + 1);
    if (!margin && margin.error().code == base::ErrorCode::NoResult) { // of every value alike
        stop();
        m_progress->setValue(m_asked);
        return m_words->setText(q(margin.error().message));
    }
    // A value that contradicts another setting is no choice.
    if (margin) m_tried.push_back(*margin);
    if (last) m_running = false;
    draw();
    if (m_tried.empty()) return;
    const int at = best();
    const auto now = std::find_if(m_tried.begin(), m_tried.end(), [&](const auto& m) { return m.setting == m_now; });
    const auto& any = m_tried.front();
    QString text = any.bad > 0
                       ? tr("%1 good, %2 bad").arg(any.good).arg(any.bad)
                       : tr("%1 good, no bad one that only this check could tell: margin to the limits").arg(any.good);
    if (at >= 0)
        text += tr(" · widest margin %1 % at %2")
                    .arg(100 * m_tried[std::size_t(at)].margin, 0, 'f', 0)
                    .arg(m_tried[std::size_t(at)].setting);
    else text += tr(" · no value tells them apart");
    if (now != m_tried.end())
        text += now->margin > 0 ? tr(", %1 % at the present %2").arg(100 * now->margin, 0, 'f', 0).arg(m_now)
                                : tr(", not told apart at the present %1").arg(m_now);
    m_words->setText(text);
    m_take->setEnabled(!m_running && at >= 0);
    if (m_take->isEnabled()) m_take->setText(tr("Take %1").arg(m_tried[std::size_t(at)].setting));
}

void FitDialog::draw()
{
    m_plot->clearAll();
    QVector<double> x, y;
    for (const auto& m : m_tried) x << m.setting, y << 100 * m.margin;
    const report::Theme& th = theme();
    if (!x.isEmpty()) {
        m_plot->curve(x, y, th.ink);
        m_plot->dots(x, y, QCPScatterStyle(QCPScatterStyle::ssDisc, QPen(th.ink, 1), QBrush(th.ink), 5));
        const int at = best();
        if (at >= 0)
            m_plot->dots({x[at]}, {y[at]},
                         QCPScatterStyle(QCPScatterStyle::ssCircle, QPen(th.datum, 2), Qt::NoBrush, 12));
    }
    m_plot->level(0, th.notMeasured);
    m_plot->vertical(m_now, th.datum);
    const double low = x.isEmpty() ? 0 : *std::min_element(x.begin(), x.end()),
                 high = x.isEmpty() ? 1 : *std::max_element(x.begin(), x.end());
    const double room = std::max(1e-6, 0.04 * (high - low));
    m_plot->xAxis->setRange(low - room, high + room);
    m_plot->yAxis->setRange(-105, 105);
    m_plot->names(m_setting->currentText(), tr("margin, %"));
    m_plot->replot(QCustomPlot::rpQueuedReplot);
}

void FitDialog::take()
{
    const int at = best();
    if (m_running || at < 0) return;
    const double value = m_tried[std::size_t(at)].setting;
    const std::string key = m_setting->currentData().toString().toStdString();
    const ParamSpec* spec = findKind(m_session.recipe().find(m_step)->kind)->param(key);
    m_session.change(tr("fit %1").arg(q(spec->label)), [&](Recipe& r) { spec->put(r.find(m_step)->params, value); });
    emit m_session.said(tr("%1 is %2 now").arg(q(spec->label)).arg(value));
    accept();
}

} // namespace desktop
