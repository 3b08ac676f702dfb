#include "desktop/height_dialog.h"

#include "report/theme.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QFileInfo>
#include <QFormLayout>
#include <QGuiApplication>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QRegularExpression>
#include <QVBoxLayout>

namespace desktop
{
namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
QString number(double x) { return QString::fromStdString(base::shortest(x)); }
bool isCloud(const QString& path)
{
    return path.endsWith(QStringLiteral(".ply"), Qt::CaseInsensitive) ||
           path.endsWith(QStringLiteral(".xyz"), Qt::CaseInsensitive);
}
} // namespace

HeightDialog::HeightDialog(Session& session, const QString& picture, QWidget* parent)
    : QDialog(parent), m_session(session), m_picture(picture)
{
    setObjectName(QStringLiteral("heightDialog"));
    setWindowTitle(tr("Heights"));
    if (m_picture.isEmpty() && session.trial() >= 0)
        m_picture = q(session.recipe().trials[std::size_t(session.trial())].picture);
    auto* whole = new QVBoxLayout(this);
    auto* about = new QLabel(
        tr("A height picture holds steps; how many mm is one? Float pictures hold mm already. A point cloud is "
           "laid on a raster: its pitch is a pixel. A small file beside a picture, NAME.scale.json, goes before this."),
        this);
    about->setWordWrap(true);
    whole->addWidget(about);
    auto* form = new QFormLayout;
    whole->addLayout(form);
    m_which = new QComboBox(this);
    m_which->setObjectName(QStringLiteral("heightWhich"));
    for (const image::PictureName& n : session.recipe().pictures) m_which->addItem(q(n.key));
    if (m_which->count() == 0) m_which->addItem(tr("every picture"));
    form->addRow(tr("Picture"), m_which);
    m_holds = new QComboBox(this);
    m_holds->setObjectName(QStringLiteral("heightHolds"));
    m_holds->addItems({tr("Light"), tr("Heights")});
    form->addRow(tr("Holds"), m_holds);
    const auto field = [&](const char* name, const QString& label, const QString& help, const QString& hint) {
        auto* edit = new QLineEdit(this);
        edit->setObjectName(QLatin1String(name));
        edit->setToolTip(help);
        edit->setPlaceholderText(hint);
        form->addRow(label, edit);
        connect(edit, &QLineEdit::textEdited, this, &HeightDialog::tryIt);
        return edit;
    };
    m_step = field("heightStep", tr("One step, mm"), tr("What one step of the picture's values is worth"),
                   tr("such as 0.001"));
    m_offset = field("heightOffset", tr("Offset, mm"), tr("The height of the value 0"), tr("0"));
    m_pixel = field("heightPixel", tr("One pixel, mm"), tr("A pixel's side, or the pitch a point cloud is laid on"),
                    tr("not known"));
    m_missing = field("heightMissing", tr("No point"),
                      tr("The value that means that nothing was measured; NaN always does"), tr("no such value"));
    m_says = new QLabel(this);
    m_says->setObjectName(QStringLiteral("heightSays"));
    m_says->setWordWrap(true);
    m_says->setMinimumSize(460, 64);
    whole->addWidget(m_says);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
    m_ok = buttons->button(QDialogButtonBox::Ok);
    m_ok->setText(tr("Take"));
    whole->addWidget(buttons);
    connect(buttons, &QDialogButtonBox::accepted, this, &HeightDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    connect(m_which, &QComboBox::currentIndexChanged, this, &HeightDialog::choose);
    connect(m_holds, &QComboBox::currentIndexChanged, this, &HeightDialog::tryIt);
    choose();
}

void HeightDialog::choose()
{
    const auto& pictures = m_session.recipe().pictures;
    const int at = m_which->currentIndex();
    std::optional<image::HeightScale> now;
    if (at >= 0 && std::size_t(at) < pictures.size()) now = pictures[std::size_t(at)].height;
    // What the picture says of itself is where a person starts.
    const bool fresh = pictures.empty();
    if (fresh && !m_picture.isEmpty()) {
        const auto c = image::loadCapture(m_picture.toStdString());
        if (c && c->first().content == image::Content::Height) now = c->first().scale;
        else if (isCloud(m_picture)) {
            now = image::HeightScale{};
            // The pitch that fits stands in what is wrong without one.
            const QRegularExpression apart(QStringLiteral("about ([0-9.e+-]+) mm apart"));
            if (!c)
                if (const auto m = apart.match(q(c.error().message)); m.hasMatch())
                    now->pixelMm = m.captured(1).toDouble();
        }
    }
    m_holds->setCurrentIndex(now || fresh ? 1 : 0);
    m_step->setText(now ? number(now->mmPerStep) : QString());
    m_offset->setText(now && now->offsetMm != 0 ? number(now->offsetMm) : QString());
    m_pixel->setText(now && now->pixelMm > 0 ? number(now->pixelMm) : QString());
    m_missing->setText(now && now->missing ? number(*now->missing) : QString());
    tryIt();
}

base::Result<image::Naming> HeightDialog::edited() const
{
    image::Naming out = m_session.recipe().pictures;
    const bool heights = m_holds->currentIndex() == 1;
    if (out.empty()) {
        if (!heights) return out;
        out.push_back({"z", "{id}", {}});
    }
    image::PictureName& one = out[std::size_t(std::clamp(m_which->currentIndex(), 0, int(out.size()) - 1))];
    if (!heights) {
        one.height.reset();
        return out;
    }
    image::HeightScale scale = one.height.value_or(image::HeightScale{});
    const auto read = [](const QLineEdit* edit, double low, double high, double otherwise) -> base::Result<double> {
        QString text = edit->text().trimmed();
        if (text.isEmpty()) return otherwise;
        bool ok = false;
        const double x = text.replace(QLatin1Char(','), QLatin1Char('.')).toDouble(&ok);
        if (!ok || !(x >= low && x <= high))
            return base::fail(base::ErrorCode::OutOfRange,
                              "\"" + edit->text().toStdString() + "\" is no number from " + base::shortest(low) +
                                  " to " + base::shortest(high),
                              edit->toolTip().toStdString());
        return x;
    };
    const auto step = read(m_step, 1e-9, 1e6, 1), offset = read(m_offset, -1e9, 1e9, 0),
               pixel = read(m_pixel, 0, 1e6, 0), missing = read(m_missing, -1e12, 1e12, 0);
    for (const auto* r : {&step, &offset, &pixel, &missing})
        if (!*r) return base::passOn(r->error());
    scale.mmPerStep = *step, scale.offsetMm = *offset, scale.pixelMm = *pixel;
    scale.missing = m_missing->text().trimmed().isEmpty() ? std::nullopt : std::optional(*missing);
    one.height = scale;
    return out;
}

void HeightDialog::tryIt()
{
    for (QLineEdit* e : {m_step, m_offset, m_pixel, m_missing}) e->setEnabled(m_holds->currentIndex() == 1);
    const auto naming = edited();
    m_ok->setEnabled(bool(naming));
    if (!naming) return m_says->setText(q(naming.error().text()));
    if (m_picture.isEmpty()) return m_says->setText(tr("No picture is in view to try it on"));
    const auto c = image::loadCapture(m_picture.toStdString(), *naming);
    const QString leaf = QFileInfo(m_picture).fileName();
    if (!c) {
        m_ok->setEnabled(false);
        return m_says->setText(q(c.error().text()));
    }
    const std::string key =
        naming->empty() ? std::string() : (*naming)[std::size_t(std::max(0, m_which->currentIndex()))].key;
    const image::Picture* p = c->find(key);
    if (!p || p->content != image::Content::Height) return m_says->setText(tr("%1 holds light").arg(leaf));
    const auto range = report::wholeRange(*p);
    if (!range) return m_says->setText(tr("%1: no point in this picture").arg(leaf));
    const image::HeightView v = p->heights();
    std::size_t there = 0, seen = 0;
    for (int y = 0; y < v.height; y += std::max(1, v.height / 400))
        for (int x = 0; x < v.width; x += std::max(1, v.width / 400)) ++seen, there += !v.missing(x, y);
    m_says->setText(tr("%1: %2 × %3 px, heights %4 to %5 mm, covered %6 %%7")
                        .arg(leaf)
                        .arg(v.width)
                        .arg(v.height)
                        .arg(range->low, 0, 'f', 3)
                        .arg(range->high, 0, 'f', 3)
                        .arg(100.0 * double(there) / double(seen), 0, 'f', 0)
                        .arg(p->scale->pixelMm > 0
                                 ? tr("\nA pixel is %1 mm: the recipe is calibrated by it, unless it is already")
                                       .arg(number(p->scale->pixelMm))
                                 : tr("\nWithout mm a pixel there is no tilt, no volume and no radius")));
}

void HeightDialog::accept()
{
    const auto naming = edited();
    if (!naming) return;
    if (const auto ok = m_session.setPictures(*naming); !ok) return m_says->setText(q(ok.error().text()));
    QDialog::accept();
}

} // namespace desktop
