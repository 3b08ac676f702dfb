#include "desktop/run/feed.h"

#include "camera/camera_source.h"
#include "desktop/elided_label.h"
#include "desktop/latest_job.h"
#include "report/theme.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialog>
#include <QDialogButtonBox>
#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSettings>
#include <QSpinBox>
#include <cmath>

namespace desktop
{
namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
enum Which { Simulated, Trials, Folder, Camera };
} // namespace

Feed::Feed(Session& session, SourceMaker simulated, QWidget* parent)
    : QWidget(parent), m_session(session), m_simulated(std::move(simulated))
{
    setObjectName(QStringLiteral("feed"));
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(12, 3, 12, 3);
    row->setSpacing(6);
    m_source = new QComboBox(this);
    m_source->setObjectName(QStringLiteral("source"));
    m_source->setAccessibleName(tr("Source of pictures"));
    m_source->addItem(tr("Simulated station: reed plates"));
    m_source->addItem(tr("The trials, one after another"));
    m_source->addItem(tr("A folder of pictures…"));
    m_source->addItem(tr("A camera…"));
    m_source->setToolTip(tr("Where the pictures of the items come from."));
    row->addWidget(m_source);
    const auto button = [&](const char* name, const QString& text, const QString& tip, auto call) {
        auto* b = new QPushButton(text, this);
        b->setObjectName(QLatin1String(name));
        b->setToolTip(tip);
        b->setAccessibleName(tip);
        connect(b, &QPushButton::clicked, this, call);
        row->addWidget(b);
        return b;
    };
    m_belt = button("belt", tr("Belt…"), tr("Speed, faults, light and triggers of the simulated station"),
                    [this] { askBelt(); });
    m_previous = button("previousPicture", QStringLiteral("‹"), tr("The picture before, once more"),
                        [this] { seek(m_at->value() - 2, true); });
    m_at = new QSpinBox(this);
    m_at->setObjectName(QStringLiteral("pictureNumber"));
    m_at->setAccessibleName(tr("Number of the picture"));
    m_at->setToolTip(tr("Type a number to go to that picture."));
    m_at->setKeyboardTracking(false);
    m_at->setButtonSymbols(QAbstractSpinBox::NoButtons);
    row->addWidget(m_at);
    connect(m_at, &QSpinBox::editingFinished, this, [this] {
        if (auto* l = list(); l && m_at->value() != int(l->position())) seek(m_at->value() - 1, true);
    });
    m_next =
        button("nextPicture", QStringLiteral("›"), tr("The picture that comes next"), [this] { emit takeWanted(); });
    const auto tick = [&](const char* name, const QString& text, const QString& tip) {
        auto* c = new QCheckBox(text, this);
        c->setObjectName(QLatin1String(name));
        c->setToolTip(tip);
        row->addWidget(c);
        connect(c, &QCheckBox::toggled, this, [this] {
            if (auto* l = list())
                l->setEnd(m_follow->isChecked()  ? station::ListSource::End::Wait
                          : m_again->isChecked() ? station::ListSource::End::Again
                                                 : station::ListSource::End::Stop);
        });
        return c;
    };
    m_again = tick("playAgain", tr("again"), tr("After the last picture the first one follows."));
    m_follow = tick("followFolder", tr("new ones"),
                    tr("Pictures that come to the folder are taken as soon as they are whole."));
    m_pace = new QDoubleSpinBox(this);
    m_pace->setObjectName(QStringLiteral("pace"));
    m_pace->setAccessibleName(tr("Time from one picture to the next"));
    m_pace->setToolTip(tr("From one picture to the next; 0: as fast as they are inspected."));
    m_pace->setRange(0, 60);
    m_pace->setDecimals(1);
    m_pace->setSuffix(tr(" s"));
    m_pace->setValue(0.7);
    m_pace->setButtonSymbols(QAbstractSpinBox::NoButtons);
    row->addWidget(m_pace);
    connect(m_pace, &QDoubleSpinBox::valueChanged, this, &Feed::changed);
    m_keep = new QComboBox(this);
    m_keep->setObjectName(QStringLiteral("keepPictures"));
    m_keep->setAccessibleName(tr("Pictures kept with the records"));
    m_keep->addItems(
        {tr("keep no pictures"), tr("keep rejects"), tr("keep all pictures"), tr("keep rejects and every 100th")});
    m_keep->setToolTip(tr("Pictures put aside beside the records, so that an item can be inspected again."));
    m_keep->setCurrentIndex(QSettings().value(QStringLiteral("run/keep"), 1).toInt());
    row->addWidget(m_keep);
    m_batch = new QLineEdit(this);
    m_batch->setObjectName(QStringLiteral("batch"));
    m_batch->setPlaceholderText(tr("batch"));
    m_batch->setAccessibleName(tr("Batch"));
    m_batch->setToolTip(tr("Name of the production lot; kept with every item."));
    m_batch->setMaximumWidth(130);
    m_batch->setMaxLength(100);
    row->addWidget(m_batch);
    m_runs = new ElidedLabel(this);
    m_runs->setObjectName(QStringLiteral("runsLine"));
    m_runs->setFont(report::uiFont(12));
    m_runs->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    m_runs->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    row->addWidget(m_runs, 1);
    const QSettings settings;
    m_source->setCurrentIndex(std::clamp(settings.value(QStringLiteral("run/source"), 0).toInt(), 0, 3));
    m_folder = settings.value(QStringLiteral("run/folder")).toString();
    m_camera = settings.value(QStringLiteral("run/camera")).toString();
    connect(m_source, &QComboBox::activated, this, [this] {
        m_madeIndex = -1;
        m_ask = true;
        m_made.reset();
        showControls();
    });
    connect(m_keep, &QComboBox::activated, this, [this](int index) {
        QSettings().setValue(QStringLiteral("run/keep"), index);
        emit changed();
    });
    connect(m_batch, &QLineEdit::textChanged, this, [this] { emit changed(); });
    connect(m_batch, &QLineEdit::editingFinished, this, [this] {
        if (batch() != m_batchBefore) emit batchNamed(m_batchBefore, batch());
        m_batchBefore = batch();
    });
    showControls();
}

int Feed::pause() const { return int(std::lround(1000 * m_pace->value())); }
records::Keep Feed::keep() const { return records::Keep(m_keep->currentIndex()); }
QString Feed::batch() const { return m_batch->text().trimmed(); }
QString Feed::sourceWord() const { return m_made ? q(m_made->name()) : m_source->currentText(); }
station::ListSource* Feed::list() const { return dynamic_cast<station::ListSource*>(m_made.get()); }

void Feed::setRuns(const QString& words)
{
    m_runs->setText(words);
    m_runs->setToolTip(words);
}
void Feed::setRights(bool engineer, bool report)
{
    m_engineer = engineer;
    m_batch->setEnabled(report);
    showControls();
}
void Feed::setRunning(bool running)
{
    m_running = running;
    showControls();
}

void Feed::showControls()
{
    const int which = m_source->currentIndex();
    const bool listed = which == Trials || which == Folder;
    m_source->setEnabled(m_engineer && !m_running);
    m_keep->setEnabled(m_engineer);
    m_belt->setVisible(which == Simulated);
    m_belt->setEnabled(m_engineer && !m_running);
    for (QWidget* w : std::initializer_list<QWidget*>{m_previous, m_at, m_next, m_again}) w->setVisible(listed);
    m_follow->setVisible(which == Folder);
    m_pace->setVisible(which != Camera);
    m_pace->setEnabled(m_engineer);
    for (QWidget* w : std::initializer_list<QWidget*>{m_previous, m_at, m_next})
        w->setEnabled(m_engineer && !m_running && list());
    m_again->setEnabled(m_engineer), m_follow->setEnabled(m_engineer);
    refresh();
}

void Feed::refresh()
{
    auto* l = list();
    if (!l) return;
    const QSignalBlocker quiet(m_at);
    const int count = int(l->pictures().size());
    m_at->setRange(0, count);
    m_at->setSuffix(tr(" of %1").arg(count));
    if (!m_at->hasFocus() || m_running) m_at->setValue(int(l->position()));
    m_previous->setEnabled(m_engineer && !m_running && l->position() > 1);
    m_next->setEnabled(m_engineer && !m_running && (int(l->position()) < count || m_again->isChecked()));
}

void Feed::seek(int index, bool take)
{
    auto* l = list();
    if (!l || m_running || index < 0) return;
    l->seek(std::size_t(index));
    if (take) emit takeWanted();
    refresh();
}

void Feed::askBelt()
{
    QDialog d(this);
    d.setObjectName(QStringLiteral("beltDialog"));
    d.setWindowTitle(tr("Simulated station"));
    auto* form = new QFormLayout(&d);
    const auto field = [&](const char* name, const QString& label, double value, double high, int decimals,
                           const QString& suffix, const QString& special, const QString& tip) {
        auto* s = new QDoubleSpinBox(&d);
        s->setObjectName(QLatin1String(name));
        s->setDecimals(decimals);
        s->setRange(0, high);
        s->setValue(value);
        s->setSuffix(suffix);
        if (!special.isEmpty()) s->setSpecialValueText(special);
        s->setToolTip(tip);
        form->addRow(label, s);
        return s;
    };
    auto* speed = field("beltSpeed", tr("Parts pass"), m_conveyor.perMinute, 6000, 0, tr(" a minute"),
                        tr("when one is asked for"), tr("At this pace, whether somebody takes them or not."));
    auto* faults = field("beltFaults", tr("Of them faulty"), 100 * m_conveyor.faults, 100, 0, tr(" %"), {}, {});
    auto* drift = field("beltDrift", tr("Light lost in 1000 parts"), 100 * m_conveyor.drift, 100, 0, tr(" %"), {}, {});
    auto* dropped =
        field("beltDropped", tr("Triggers that get lost"), 100 * m_conveyor.dropped, 100, 0, tr(" %"), {}, {});
    auto* belt = field("beltMm", tr("Belt moves"), m_conveyor.mmPerSecond, 10000, 0, tr(" mm/s"), {},
                       tr("While the picture is exposed: it smears."));
    auto* ok = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, &d);
    connect(ok, &QDialogButtonBox::accepted, &d, &QDialog::accept);
    connect(ok, &QDialogButtonBox::rejected, &d, &QDialog::reject);
    form->addRow(ok);
    if (d.exec() != QDialog::Accepted) return;
    m_conveyor.perMinute = speed->value(), m_conveyor.mmPerSecond = belt->value();
    m_conveyor.faults = faults->value() / 100, m_conveyor.drift = drift->value() / 100;
    m_conveyor.dropped = dropped->value() / 100;
    m_madeIndex = -1;
    m_made.reset();
}

// The one that answers, or one of several; the network is asked aside.
bool Feed::makeCamera()
{
    const auto there = awake([] { return camera::cameras(); });
    if (there.empty()) {
        emit said(tr("No camera answers"));
        return false;
    }
    std::string id = there.front().id;
    const bool known = std::any_of(there.begin(), there.end(), [&](const auto& f) { return q(f.id) == m_camera; });
    if (known && !m_ask) {
        id = m_camera.toStdString();
    } else if (there.size() > 1) {
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
        emit said(q(source.error().text()));
        return false;
    }
    m_made = std::move(*source);
    m_camera = q(id);
    QSettings().setValue(QStringLiteral("run/camera"), m_camera);
    return true;
}

bool Feed::makeFolder()
{
    const QString folder = !m_ask && QFileInfo(m_folder).isDir()
                               ? m_folder
                               : QFileDialog::getExistingDirectory(this, tr("Folder of pictures"), m_folder,
                                                                   QFileDialog::DontUseNativeDialog);
    if (folder.isEmpty()) return false;
    auto source =
        station::ListSource::folder(folder.toStdString(), m_follow->isChecked()  ? station::ListSource::End::Wait
                                                          : m_again->isChecked() ? station::ListSource::End::Again
                                                                                 : station::ListSource::End::Stop);
    if (!source) {
        emit said(q(source.error().text()));
        return false;
    }
    m_folder = folder;
    QSettings().setValue(QStringLiteral("run/folder"), m_folder);
    m_made = std::move(*source);
    return true;
}

bool Feed::letGo(station::Station& line)
{
    if (m_source->currentIndex() != Camera) return m_made == nullptr;
    line.setSource(nullptr);
    m_made.reset();
    m_madeIndex = -1;
    return true;
}

bool Feed::choose(station::Station& line)
{
    std::vector<std::string> trials;
    for (const auto& t : m_session.recipe().trials) trials.push_back(t.picture);
    // Trials of another recipe, or others than before, are another source.
    const bool same = m_madeIndex != Trials || !list() || list()->pictures() == trials;
    if (m_madeIndex == m_source->currentIndex() && same) return true;
    switch (m_source->currentIndex()) {
    case Simulated: m_made = m_simulated(m_conveyor); break;
    case Trials: {
        if (trials.empty()) {
            emit said(tr("There are no trials to feed"));
            return false;
        }
        m_made = std::make_shared<station::ListSource>("trials", std::move(trials), true);
        m_again->setChecked(true);
        break;
    }
    case Camera:
        if (!makeCamera()) return false;
        break;
    default:
        if (!makeFolder()) return false;
    }
    m_madeIndex = m_source->currentIndex();
    m_ask = false;
    QSettings().setValue(QStringLiteral("run/source"), m_madeIndex);
    line.setSource(m_made);
    emit said({});
    emit sourceChosen(sourceWord());
    showControls();
    return true;
}

} // namespace desktop
