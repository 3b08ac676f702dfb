#include "desktop/camera_dialog.h"

#include "base/files.h"
#include "camera/camera_source.h"
#include "desktop/latest_job.h"
#include "image/decode.h"
#include "report/sheet_painter.h"
#include "report/theme.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDateTime>
#include <QDir>
#include <QDoubleSpinBox>
#include <QFileInfo>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPainter>
#include <QPushButton>
#include <QRegularExpression>
#include <QShortcut>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

namespace desktop
{
using report::theme;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
QString percent(double share)
{
    return QString::number(100 * share, 'f', share < 0.0995 ? 1 : 0) + QStringLiteral(" %");
}
} // namespace

// ---------------------------------------------------------------- the picture
LivePicture::LivePicture(QWidget* parent) : SheetCanvas(parent)
{
    setObjectName(QStringLiteral("livePicture"));
    setAccessibleName(tr("Live picture"));
    setToolTip(tr("Wheel: zoom · drag: move · double click: the whole picture. Sharpness is of what is seen"));
    setMinimumSize(320, 240);
}

void LivePicture::show(std::shared_ptr<const image::Capture> capture)
{
    m_trouble.clear();
    m_last = std::move(capture);
    setPicture(marked(m_last->first()));
    update();
}
void LivePicture::setEvenness(std::optional<inspect::Evenness> evenness)
{
    m_evenness = std::move(evenness);
    update();
}
void LivePicture::setMarksClipping(bool on)
{
    m_marks = on;
    if (m_last) setPicture(marked(m_last->first()));
    update();
}
void LivePicture::setTrouble(const QString& words)
{
    m_trouble = words;
    update();
}

// White that clips in the fail colour, black in the datum's: neither is in a grey picture.
QImage LivePicture::marked(const image::Picture& picture) const
{
    QImage seen = report::toQImage(picture);
    const image::Image& in = picture.pixels;
    if (!m_marks || picture.content == image::Content::Height) return seen;
    seen = seen.convertToFormat(QImage::Format_RGB888);
    const int channels = image::channels(in.format());
    const QColor white = theme().fail, black = theme().datum;
    const auto mark = [&](auto sample, int most) {
        using Sample = decltype(sample);
        for (int y = 0; y < in.height(); ++y) {
            const Sample* row = reinterpret_cast<const Sample*>(in.row(y));
            uchar* to = seen.scanLine(y);
            for (int x = 0; x < in.width(); ++x, row += channels, to += 3) {
                int low = row[0], high = row[0];
                for (int c = 1; c < channels; ++c) low = std::min<int>(low, row[c]), high = std::max<int>(high, row[c]);
                if (high != most && low != 0) continue;
                const QColor& colour = high == most ? white : black;
                to[0] = uchar(colour.red()), to[1] = uchar(colour.green()), to[2] = uchar(colour.blue());
            }
        }
    };
    if (image::bytesPerSample(in.format()) == 2) mark(std::uint16_t(), 65535);
    else mark(std::uint8_t(), 255);
    return seen;
}

inspect::Window LivePicture::seen() const
{
    const QRectF in = toScreen().inverted().mapRect(QRectF(rect())).intersected(QRectF(m_picture.rect()));
    return {int(in.left()), int(in.top()), int(std::ceil(in.right())), int(std::ceil(in.bottom()))};
}

void LivePicture::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    p.fillRect(rect(), theme().dark ? QColor("#10141A") : QColor("#E9E6DD"));
    if (!m_picture.isNull()) paintPicture(p, true);
    if (m_evenness && !m_picture.isNull()) {
        p.setRenderHint(QPainter::Antialiasing);
        const inspect::Evenness& e = *m_evenness;
        const double w = double(m_picture.width()) / e.columns, h = double(m_picture.height()) / e.rows;
        for (int r = 0; r < e.rows; ++r)
            for (int c = 0; c < e.columns; ++c) {
                const double share = e.shares[std::size_t(r * e.columns + c)];
                const QRectF cell = toScreen().mapRect(QRectF(c * w, r * h, w, h));
                QColor ground = theme().datum;
                ground.setAlphaF(float(std::clamp(1.4 * (1 - share), 0.0, 0.75)));
                p.fillRect(cell, ground);
                p.setPen(QPen(theme().hair, 1));
                p.drawRect(cell);
                p.setFont(report::uiFont(13, share == e.least));
                const QString text = QString::number(std::lround(100 * share));
                const QRectF plate(cell.center() - QPointF(16, 10), QSizeF(32, 20));
                p.fillRect(plate, share == e.least ? theme().fail : theme().paper);
                p.setPen(share == e.least ? theme().paper : theme().ink);
                p.drawText(plate, Qt::AlignCenter, text);
            }
    }
    if (m_trouble.isEmpty() && !m_picture.isNull()) return;
    p.setFont(report::uiFont(15));
    const QString words = m_trouble.isEmpty() ? tr("Choose where pictures come from, at the right") : m_trouble;
    const QRectF box =
        p.boundingRect(QRectF(rect()).adjusted(40, 40, -40, -40), Qt::AlignCenter | Qt::TextWordWrap, words);
    p.fillRect(box.adjusted(-12, -8, 12, 8), theme().paper);
    p.setPen(m_trouble.isEmpty() ? theme().second : theme().fail);
    p.drawText(box, Qt::AlignCenter | Qt::TextWordWrap, words);
}

// ---------------------------------------------------------------- histogram
HistogramView::HistogramView(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("histogram"));
    setAccessibleName(tr("Grey levels"));
    setFixedHeight(130);
}
void HistogramView::show(const inspect::Levels& levels)
{
    m_levels = levels;
    m_words =
        tr("%1 to %2, mean %3").arg(levels.low, 0, 'f', 0).arg(levels.high, 0, 'f', 0).arg(levels.mean, 0, 'f', 0);
    if (levels.white > inspect::AutoExposure::kClipped) m_words += tr(" · %1 clip at white").arg(percent(levels.white));
    if (levels.black > inspect::AutoExposure::kClipped) m_words += tr(" · %1 clip at black").arg(percent(levels.black));
    setAccessibleDescription(m_words);
    update();
}
void HistogramView::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    const report::Theme& th = theme();
    const QRectF box(0.5, 0.5, width() - 1, height() - 22);
    p.fillRect(box, th.raised);
    double most = 1;
    for (std::size_t i = 1; i < 255; ++i) most = std::max(most, std::sqrt(double(m_levels.counts[i])));
    const double step = box.width() / 256;
    for (std::size_t i = 0; i < 256; ++i) {
        const double h = std::min(1.0, std::sqrt(double(m_levels.counts[i])) / most) * (box.height() - 3);
        const bool clips = (i == 255 && m_levels.white > inspect::AutoExposure::kClipped) ||
                           (i == 0 && m_levels.black > inspect::AutoExposure::kClipped);
        const double w = clips ? std::max(5.0, step) : std::max(1.0, step);
        const double x = i == 255 && clips ? box.right() - w : box.left() + double(i) * step;
        p.fillRect(QRectF(x, box.bottom() - h, w, h), clips ? (i == 0 ? th.datum : th.fail) : th.second);
    }
    p.setPen(QPen(th.rule, 1));
    p.drawRect(box);
    p.setPen(QPen(th.pass, 1, Qt::DashLine));
    for (const double v : {inspect::AutoExposure::kLow, inspect::AutoExposure::kHigh})
        p.drawLine(QPointF(box.left() + v * step, box.top()), QPointF(box.left() + v * step, box.bottom()));
    p.setFont(report::uiFont(12));
    const bool clips = m_levels.white > inspect::AutoExposure::kClipped;
    p.setPen(clips ? th.fail : th.ink);
    p.drawText(QRectF(0, box.bottom() + 2, width(), 19), Qt::AlignVCenter,
               p.fontMetrics().elidedText(m_words, Qt::ElideRight, width()));
}

// ---------------------------------------------------------------- the dialog
CameraDialog::CameraDialog(Session& session, SourceMaker simulated, QString folder, QWidget* parent)
    : QDialog(parent), m_session(session), m_simulated(std::move(simulated)), m_folder(std::move(folder))
{
    setObjectName(QStringLiteral("cameraDialog"));
    setWindowTitle(tr("Camera"));
    resize(1180, 740);
    auto* whole = new QHBoxLayout(this);
    m_live = new LivePicture(this);
    whole->addWidget(m_live, 1);
    auto* side = new QWidget(this);
    side->setFixedWidth(330);
    auto* panel = new QVBoxLayout(side);
    panel->setContentsMargins(8, 0, 0, 0);
    makePanel(panel);
    whole->addWidget(side);
    const auto key = [this](const char* keys, auto call) {
        connect(new QShortcut(QKeySequence(QLatin1String(keys)), this), &QShortcut::activated, this, call);
    };
    key("T", [this] { takeTrial(); });
    key("A", [this] { automatic(); });
    connect(&m_session, &Session::recipeChanged, this, &CameraDialog::follow);
    follow();
    look();
}

CameraDialog::~CameraDialog() { close(); }

void CameraDialog::makePanel(QVBoxLayout* layout)
{
    auto* form = new QFormLayout;
    form->setHorizontalSpacing(8);
    m_source = new QComboBox(this);
    m_source->setObjectName(QStringLiteral("liveSource"));
    m_source->setAccessibleName(tr("Pictures come from"));
    auto* again = new QPushButton(tr("Look again"), this);
    again->setObjectName(QStringLiteral("lookAgain"));
    again->setToolTip(tr("Asks the network and USB which cameras are there"));
    again->setAutoDefault(false);
    connect(again, &QPushButton::clicked, this, &CameraDialog::look);
    auto* row = new QHBoxLayout;
    row->addWidget(m_source, 1), row->addWidget(again);
    form->addRow(row);
    m_exposure = new QDoubleSpinBox(this);
    m_exposure->setObjectName(QStringLiteral("exposure"));
    m_exposure->setRange(0, 1e8);
    m_exposure->setDecimals(0);
    m_exposure->setSpecialValueText(tr("as the camera has it"));
    m_exposure->setSuffix(tr(" µs"));
    m_exposure->setStepType(QAbstractSpinBox::AdaptiveDecimalStepType);
    m_exposure->setKeyboardTracking(false);
    connect(m_exposure, &QDoubleSpinBox::valueChanged, this, [this](double v) {
        edit(tr("exposure"), [v](recipe::CameraSettings& c) { c.exposure = v > 0 ? std::optional(v) : std::nullopt; });
    });
    m_auto_button = new QPushButton(tr("Automatic"), this);
    m_auto_button->setObjectName(QStringLiteral("autoExposure"));
    m_auto_button->setToolTip(tr("The widest range of greys that does not clip, in at most 8 pictures  (A)"));
    m_auto_button->setAutoDefault(false);
    connect(m_auto_button, &QPushButton::clicked, this, &CameraDialog::automatic);
    auto* exposing = new QHBoxLayout;
    exposing->addWidget(m_exposure, 1), exposing->addWidget(m_auto_button);
    form->addRow(tr("Exposure"), exposing);
    m_gain = new QDoubleSpinBox(this);
    m_gain->setObjectName(QStringLiteral("gain"));
    m_gain->setRange(-101, 1000);
    m_gain->setDecimals(1);
    m_gain->setSpecialValueText(tr("as the camera has it"));
    m_gain->setKeyboardTracking(false);
    m_gain->setToolTip(tr("As the camera counts it, mostly dB"));
    connect(m_gain, &QDoubleSpinBox::valueChanged, this, [this](double v) {
        edit(tr("gain"), [v](recipe::CameraSettings& c) { c.gain = v > -101 ? std::optional(v) : std::nullopt; });
    });
    form->addRow(tr("Gain"), m_gain);
    const auto combo = [&](const char* name, const QString& label, const QStringList& usual, const QString& tip) {
        auto* c = new QComboBox(this);
        c->setObjectName(QLatin1String(name));
        c->setEditable(true);
        c->setInsertPolicy(QComboBox::NoInsert);
        c->addItems(usual);
        c->setToolTip(tip);
        form->addRow(label, c);
        return c;
    };
    m_format = combo("pixelFormat", tr("Pixels"),
                     {QString(), QStringLiteral("Mono8"), QStringLiteral("Mono10"), QStringLiteral("Mono12"),
                      QStringLiteral("Mono16"), QStringLiteral("RGB8"), QStringLiteral("BayerRG8")},
                     tr("By their standard name; empty: as the camera has it"));
    m_trigger =
        combo("trigger", tr("Trigger on the line"), {QString(), QStringLiteral("software"), QStringLiteral("Line1")},
              tr("empty: as fast as it can · software: when the line asks · Line1, Line2: the part's sensor. "
                 "Here pictures come freely all the same"));
    const auto words = [this](QComboBox* c, const QString& what, std::string recipe::CameraSettings::*field) {
        const auto take = [this, c, what, field] {
            edit(what, [text = c->currentText().trimmed().toStdString(), field](recipe::CameraSettings& s) {
                s.*field = text;
            });
        };
        connect(c->lineEdit(), &QLineEdit::editingFinished, this, take);
        connect(c, &QComboBox::activated, this, take);
    };
    m_format->lineEdit()->setPlaceholderText(tr("as the camera has it"));
    m_trigger->lineEdit()->setPlaceholderText(tr("none: as fast as it can"));
    words(m_format, tr("pixel format"), &recipe::CameraSettings::format);
    words(m_trigger, tr("trigger"), &recipe::CameraSettings::trigger);
    m_window = new QLineEdit(this);
    m_window->setObjectName(QStringLiteral("sensorWindow"));
    m_window->setPlaceholderText(tr("whole sensor, or x y width height"));
    m_window->setToolTip(tr("Part of the sensor, px: 100 80 1200 900"));
    connect(m_window, &QLineEdit::editingFinished, this, [this] {
        const QStringList n =
            m_window->text().split(QRegularExpression(QStringLiteral("[ ,;×x]+")), Qt::SkipEmptyParts);
        std::optional<recipe::CameraSettings::Window> w;
        if (n.size() == 4) w = {n[0].toInt(), n[1].toInt(), n[2].toInt(), n[3].toInt()};
        if (!n.isEmpty() && (!w || w->width < 1 || w->height < 1 || w->x < 0 || w->y < 0))
            return m_state->setText(tr("Region: x y width height in px, as in 100 80 1200 900"));
        edit(tr("region of the sensor"), [w](recipe::CameraSettings& c) { c.window = w; });
    });
    form->addRow(tr("Region"), m_window);
    layout->addLayout(form);
    m_state = new QLabel(this);
    m_state->setObjectName(QStringLiteral("cameraState"));
    m_state->setWordWrap(true);
    m_state->setMinimumHeight(34);
    m_state->setAlignment(Qt::AlignTop);
    layout->addWidget(m_state);
    m_histogram = new HistogramView(this);
    layout->addWidget(m_histogram);
    m_clipping = new QCheckBox(tr("mark what clips on the picture"), this);
    m_clipping->setObjectName(QStringLiteral("markClipping"));
    m_clipping->setChecked(true);
    connect(m_clipping, &QCheckBox::toggled, m_live, &LivePicture::setMarksClipping);
    layout->addWidget(m_clipping);
    m_focus = new QLabel(this);
    m_focus->setObjectName(QStringLiteral("focus"));
    m_focus->setFont(report::uiFont(15, true));
    m_anew = new QPushButton(tr("Anew"), this);
    m_anew->setObjectName(QStringLiteral("focusAnew"));
    m_anew->setToolTip(tr("Forgets the best sharpness so far"));
    m_anew->setAutoDefault(false);
    connect(m_anew, &QPushButton::clicked, this, [this] { m_best = m_sharpness = 0; });
    auto* focus = new QHBoxLayout;
    focus->addWidget(m_focus, 1), focus->addWidget(m_anew);
    layout->addLayout(focus);
    m_even = new QCheckBox(tr("light as a map"), this);
    m_even->setObjectName(QStringLiteral("evenness"));
    m_even->setToolTip(tr("How bright each place is, as share of the brightest"));
    connect(m_even, &QCheckBox::toggled, this, [this](bool on) {
        const std::lock_guard lock(m_mutex);
        m_wantsEvenness = on;
        if (!on) m_live->setEvenness({}), m_evenness->clear();
    });
    m_evenness = new QLabel(this);
    m_evenness->setObjectName(QStringLiteral("evennessText"));
    auto* even = new QHBoxLayout;
    even->addWidget(m_even), even->addWidget(m_evenness, 1);
    layout->addLayout(even);
    layout->addStretch(1);
    m_taken = new QLabel(this);
    m_taken->setObjectName(QStringLiteral("takenText"));
    m_taken->setWordWrap(true);
    layout->addWidget(m_taken);
    auto* acts = new QHBoxLayout;
    const auto button = [&](const char* name, const QString& text, const QString& tip, auto call) {
        auto* b = new QPushButton(text, this);
        b->setObjectName(QLatin1String(name));
        b->setToolTip(tip);
        b->setMinimumHeight(40);
        b->setAutoDefault(false);
        connect(b, &QPushButton::clicked, this, call);
        acts->addWidget(b);
        return b;
    };
    m_take = button("takeTrial", tr("Take as trial"), tr("Saves this picture and adds it to the trials  (T)"),
                    [this] { takeTrial(); });
    m_target = button("takeTarget", tr("Take as target"),
                      tr("Saves this picture and sets it aside from the parts: a target, an empty picture"),
                      [this] { takeTarget(); });
    button("closeCamera", tr("Close"), tr("Back to Set up"), [this] { reject(); });
    layout->addLayout(acts);
}

void CameraDialog::follow()
{
    const recipe::CameraSettings& c = m_session.recipe().camera;
    const QSignalBlocker a(m_exposure), b(m_gain), d(m_format), e(m_trigger), f(m_window);
    if (!m_auto) m_exposure->setValue(c.exposure.value_or(0));
    m_gain->setValue(c.gain.value_or(-101));
    m_format->setCurrentText(q(c.format));
    m_trigger->setCurrentText(q(c.trigger));
    m_window->setText(
        c.window
            ? QStringLiteral("%1 %2 %3 %4").arg(c.window->x).arg(c.window->y).arg(c.window->width).arg(c.window->height)
            : QString());
    apply();
}

void CameraDialog::edit(const QString& what, const std::function<void(recipe::CameraSettings&)>& change)
{
    recipe::CameraSettings now = m_session.recipe().camera;
    change(now);
    if (now == m_session.recipe().camera) return;
    m_auto.reset();
    m_best = m_sharpness = 0; // of another picture
    m_session.change(
        what, [&](recipe::Recipe& r) { r.camera = now; }, QStringLiteral("camera ") + what);
}

void CameraDialog::apply()
{
    auto wanted = std::make_shared<recipe::Recipe>();
    wanted->camera = m_session.recipe().camera;
    wanted->pictures = m_session.recipe().pictures;
    // At the camera nobody waits for a part.
    if (wanted->camera.trigger != "software") wanted->camera.trigger.clear();
    if (m_auto) wanted->camera.exposure = m_auto->next();
    const std::lock_guard lock(m_mutex);
    m_wanted = std::move(wanted);
}

// ---------------------------------------------------------------- where pictures come from
void CameraDialog::look()
{
    close();
    m_state->setText(tr("looking for cameras …"));
    const auto there = awake([] { return camera::cameras(); });
    const QSignalBlocker quiet(m_source);
    m_source->disconnect(this);
    m_source->clear();
    m_ids.clear();
    m_source->addItem(tr("Simulated station"));
    for (const camera::Found& f : there) {
        m_ids.push_back(f.id);
        m_source->addItem(q(f.vendor) + QLatin1Char(' ') + q(f.model) + QLatin1Char(' ') + q(f.serial), q(f.id));
    }
    connect(m_source, &QComboBox::currentIndexChanged, this, &CameraDialog::open);
    m_state->setText(there.empty() ? tr("no camera answers; the simulated station stands in") : QString());
    m_source->setCurrentIndex(there.empty() ? 0 : 1);
    open(m_source->currentIndex());
}

void CameraDialog::open(int index)
{
    close();
    m_best = m_sharpness = 0;
    std::shared_ptr<station::PictureSource> source;
    if (index > 0) {
        auto camera = awake([&] { return camera::CameraSource::open(m_ids[std::size_t(index - 1)]); });
        if (!camera) return m_live->setTrouble(q(camera.error().text()));
        source = std::move(*camera);
    } else {
        source = m_simulated({});
    }
    if (!source) return;
    apply();
    m_thread = std::jthread([this, source](std::stop_token stop) { run(stop, source); });
}

void CameraDialog::close()
{
    m_auto.reset();
    if (!m_thread.joinable()) return;
    m_thread.request_stop();
    (void)awake([&] {
        m_thread.join();
        return true;
    });
    const std::lock_guard lock(m_mutex);
    m_newest.reset();
}

void CameraDialog::run(std::stop_token stop, std::shared_ptr<station::PictureSource> source)
{
    while (!stop.stop_requested()) {
        std::shared_ptr<const recipe::Recipe> wanted;
        std::optional<inspect::Window> seen;
        bool even = false;
        {
            const std::lock_guard lock(m_mutex);
            wanted = m_wanted, seen = m_seen, even = m_wantsEvenness;
        }
        source->prepare(*wanted);
        const auto shot = source->next(wanted->pictures);
        if (!shot) return;
        if (shot->nothing()) continue;
        Frame frame;
        frame.under = wanted->camera;
        frame.bounds = source->exposureBounds();
        if (shot->error) {
            frame.trouble = q(shot->error->text());
        } else {
            frame.capture = shot->ready;
            const image::Picture& picture = frame.capture->first();
            frame.levels = inspect::levelsOf(picture, inspect::wholeOf(picture));
            frame.sharpness = inspect::sharpnessOf(picture, seen.value_or(inspect::wholeOf(picture)));
            if (even) frame.evenness = inspect::evennessOf(picture);
        }
        const std::lock_guard lock(m_mutex);
        m_newest = std::move(frame);
        if (std::exchange(m_announced, true)) continue;
        QMetaObject::invokeMethod(this, &CameraDialog::arrived, Qt::QueuedConnection);
    }
}

void CameraDialog::arrived()
{
    std::optional<Frame> frame;
    {
        const std::lock_guard lock(m_mutex);
        m_announced = false;
        frame = std::exchange(m_newest, std::nullopt);
    }
    if (!frame) return;
    if (frame->bounds) m_bounds = frame->bounds;
    if (!frame->capture) {
        m_auto.reset();
        m_live->setTrouble(frame->trouble);
        return m_state->setText(frame->trouble);
    }
    ++m_frames;
    m_capture = frame->capture;
    m_live->show(m_capture);
    m_live->setEvenness(frame->evenness);
    m_histogram->show(frame->levels);
    m_sharpness = frame->sharpness;
    m_best = std::max(m_best, m_sharpness);
    m_focus->setText(tr("sharpness %1, best %2 (%3 %)")
                         .arg(1e4 * m_sharpness, 0, 'f', 1)
                         .arg(1e4 * m_best, 0, 'f', 1)
                         .arg(m_best > 0 ? std::lround(100 * m_sharpness / m_best) : 0));
    m_evenness->setText(frame->evenness ? tr("darkest %1 of the brightest").arg(percent(frame->evenness->least))
                                        : QString());
    {
        const std::lock_guard lock(m_mutex);
        m_seen = m_live->seen();
    }
    if (!m_auto) {
        if (!m_state->text().isEmpty() && frame->trouble.isEmpty() && m_frames % 30 == 0) m_state->clear();
        return;
    }
    // Only a picture that was taken under what was asked for counts.
    if (!frame->under.exposure || std::abs(*frame->under.exposure - m_auto->next()) > 1e-6 * m_auto->next()) return;
    m_auto->saw(frame->levels);
    m_state->setText(tr("picture %1: %2 µs").arg(m_auto->pictures()).arg(m_auto->next(), 0, 'f', 0));
    if (!m_auto->done()) return apply();
    const auto outcome = m_auto->outcome();
    const int pictures = m_auto->pictures();
    const double best = std::max(m_bounds ? m_bounds->first : 1.0, std::round(m_auto->best()));
    m_auto.reset();
    m_session.endMerge(); // an act of its own
    edit(tr("exposure"), [best](recipe::CameraSettings& c) { c.exposure = best; });
    m_session.endMerge();
    follow();
    using Outcome = inspect::AutoExposure::Outcome;
    m_state->setText(
        outcome == Outcome::Found       ? tr("%1 µs, found in %2 pictures").arg(best).arg(pictures)
        : outcome == Outcome::TooDark   ? tr("%1 µs is the longest there is: more light or gain is needed").arg(best)
        : outcome == Outcome::TooBright ? tr("clips even at %1 µs: less light, or the lens stopped down").arg(best)
                                        : tr("%1 µs; the light or the scene changes meanwhile").arg(best));
}

void CameraDialog::automatic()
{
    if (!m_bounds) return m_state->setText(tr("This source has no exposure"));
    const double now = m_session.recipe().camera.exposure.value_or(std::sqrt(m_bounds->first * m_bounds->second));
    m_auto.emplace(m_bounds->first, m_bounds->second, now);
    apply();
}

// ---------------------------------------------------------------- what is kept
std::optional<QString> CameraDialog::put(const QString& prefix)
{
    if (!m_capture) {
        m_taken->setText(tr("There is no picture yet"));
        return {};
    }
    const QString folder = m_session.path().isEmpty()
                               ? m_folder
                               : QFileInfo(m_session.path()).absolutePath() + QStringLiteral("/pictures");
    QDir().mkpath(folder);
    const QString id = prefix + QDateTime::currentDateTime().toString(QStringLiteral("-yyyyMMdd-hhmmss-zzz"));
    QString first;
    const auto& naming = m_session.recipe().pictures;
    for (std::size_t i = 0; i < m_capture->pictures().size(); ++i) {
        const QString leaf =
            i < naming.size() ? q(naming[i].file).replace(QStringLiteral("{id}"), id) : id + QStringLiteral(".png");
        const QString path = folder + QLatin1Char('/') + leaf;
        const auto& pixels = m_capture->pictures()[i].pixels;
        const auto ok = awake([&]() -> base::Status {
            auto bytes = image::encodePng(pixels);
            if (!bytes) return base::passOn(bytes.error());
            return base::writeAtomic(base::realFiles(), path.toStdString(), *bytes);
        });
        if (!ok) {
            m_taken->setText(tr("Not saved: %1").arg(q(ok.error().text())));
            return {};
        }
        if (first.isEmpty()) first = path;
    }
    return first;
}

void CameraDialog::takeTrial()
{
    const auto path = put(QStringLiteral("trial"));
    if (!path) return;
    m_session.addTrials({*path});
    m_taken->setText(tr("trial %1: %2").arg(m_session.trialCount()).arg(QFileInfo(*path).fileName()));
}

void CameraDialog::takeTarget()
{
    const auto path = put(QStringLiteral("target"));
    if (!path) return;
    m_session.setAside({path->toStdString()});
    m_taken->setText(tr("set aside: %1. Calibrate (Ctrl+K) takes it from there").arg(QFileInfo(*path).fileName()));
}

} // namespace desktop
