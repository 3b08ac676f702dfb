#include "desktop/pair_view.h"

#include "report/theme.h"

#include <QGridLayout>
#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

namespace desktop
{
using report::theme;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
QImage imageOf(const std::shared_ptr<const image::Image>& from)
{
    if (!from || from->empty()) return {};
    const bool colour = image::channels(from->format()) == 3;
    return QImage(from->row(0), from->width(), from->height(), qsizetype(from->rowBytes()),
                  colour ? QImage::Format_RGB888 : QImage::Format_Grayscale8)
        .copy();
}
} // namespace

// One or two pictures of the same size, each as large as it fits, with a plate that says what it is.
class PairView::Pictures : public QWidget
{
public:
    explicit Pictures(QWidget* parent) : QWidget(parent) { setMinimumHeight(60); }
    struct One {
        QImage picture;
        QString text;
        QColor frame;
        bool wide = false;
        std::vector<geometry::Point> should, is;
    };
    std::vector<One> shown;
    std::vector<One> all; // good, here, difference

protected:
    void paintEvent(QPaintEvent*) override
    {
        QPainter p(this);
        p.setRenderHint(QPainter::Antialiasing);
        if (shown.empty()) return;
        const report::Theme& th = theme();
        const double gap = 8;
        // Beside each other, or below where they are much wider than high.
        const QSize size = shown.front().picture.size();
        if (size.isEmpty()) return;
        const bool below = shown.size() > 1 && size.width() > 1.8 * size.height();
        const double n = double(shown.size());
        const double w = below ? width() : (width() - gap * (n - 1)) / n,
                     h = below ? (height() - gap * (n - 1)) / n : height();
        std::vector<Plate> plates;
        for (std::size_t i = 0; i < shown.size(); ++i) {
            const One& one = shown[i];
            const QRectF room(below ? 0 : double(i) * (w + gap), below ? double(i) * (h + gap) : 0, w, h);
            const QSize own = one.picture.size();
            if (own.isEmpty()) continue;
            const double k = std::min({room.width() / own.width(), room.height() / own.height(), 12.0});
            const QRectF box(room.left() + (room.width() - k * own.width()) / 2,
                             room.top() + (room.height() - k * own.height()) / 2, k * own.width(), k * own.height());
            p.setRenderHint(QPainter::SmoothPixmapTransform, k < 2);
            p.drawImage(box, one.picture);
            const auto at = [&](geometry::Point c) {
                return QPointF(box.left() + (c.x + 0.5) * k, box.top() + (c.y + 0.5) * k);
            };
            const auto line = [&](const std::vector<geometry::Point>& points, const QColor& colour, Qt::PenStyle style,
                                  double wide) {
                if (points.size() < 2) return;
                QPolygonF path;
                for (const auto c : points) path << at(c);
                p.setClipRect(box);
                p.setPen(QPen(th.paper, wide + 2.4));
                p.drawPolyline(path);
                p.setPen(QPen(colour, wide, style));
                p.drawPolyline(path);
                p.setClipping(false);
            };
            line(one.should, th.ink, Qt::DashDotLine, 1.2);
            line(one.is, one.frame, Qt::SolidLine, 1.8);
            p.setPen(QPen(one.frame, one.wide ? 3 : 1.5));
            p.setBrush(Qt::NoBrush);
            p.drawRect(box);
            if (!one.text.isEmpty()) plates.push_back({&one, box});
        }
        paintPlates(p, plates);
    }

private:
    struct Plate {
        const One* of;
        QRectF box; // of the picture
    };
    // Over narrow pictures one lies lower than its neighbour, so that both can be read.
    void paintPlates(QPainter& p, const std::vector<Plate>& plates) const
    {
        p.setFont(report::uiFont(12, true));
        std::vector<QRectF> there;
        for (const auto& [of, box] : plates) {
            const double wide = p.fontMetrics().horizontalAdvance(of->text) + 12.0;
            QRectF plate(std::clamp(box.center().x() - wide / 2, 0.0, std::max(0.0, width() - wide)), box.top(), wide,
                         18);
            while (std::any_of(there.begin(), there.end(), [&](const QRectF& r) { return r.intersects(plate); }))
                plate.translate(0, 20);
            there.push_back(plate);
            p.setPen(QPen(of->frame, 1.2));
            p.setBrush(theme().paper);
            p.drawRect(plate);
            p.setPen(of->frame);
            p.drawText(plate, Qt::AlignCenter, of->text);
        }
    }
};

namespace
{
QPushButton* button(QWidget* parent, const char* name, const QString& text, const QString& help)
{
    auto* b = new QPushButton(text, parent);
    b->setObjectName(QLatin1String(name));
    b->setToolTip(help);
    b->setFixedHeight(24);
    b->setAutoDefault(false);
    return b;
}
} // namespace

PairView::PairView(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("pair"));
    setAccessibleName(tr("The good one and this one"));
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(12, 0, 12, 2);
    grid->setHorizontalSpacing(8);
    m_pictures = new Pictures(this);
    m_pictures->setMinimumHeight(116);
    grid->addWidget(m_pictures, 0, 0);
    auto* side = new QVBoxLayout;
    side->setSpacing(2);
    m_blinkButton = button(this, "blink", tr("Blink"), tr("Hold: the good one in this one's place, in turns"));
    m_differenceButton = button(this, "pairDifference", tr("Difference"),
                                tr("What differs instead of this one: paper where it is as usual"));
    m_differenceButton->setCheckable(true);
    m_good = button(this, "addGood", tr("Add good"), tr("This picture is one of the good ones: it is learned from"));
    m_bare = button(this, "addBare", tr("Bare ground"),
                    tr("Nothing is mounted at this place here: learn what the bare ground looks like"));
    auto* buttons = new QGridLayout;
    buttons->setSpacing(2);
    buttons->addWidget(m_blinkButton, 0, 0), buttons->addWidget(m_differenceButton, 0, 1);
    buttons->addWidget(m_good, 1, 0), buttons->addWidget(m_bare, 1, 1);
    side->addLayout(buttons);
    m_facts = new QLabel(this);
    m_facts->setObjectName(QStringLiteral("pairFacts"));
    m_facts->setFont(report::uiFont(12));
    m_facts->setWordWrap(true);
    side->addWidget(m_facts);
    side->addStretch(1);
    grid->addLayout(side, 0, 1);
    grid->setColumnStretch(0, 1);
    grid->setColumnMinimumWidth(1, 176);
    connect(m_blinkButton, &QPushButton::pressed, this, [this] {
        m_blink = true;
        refresh();
    });
    connect(m_blinkButton, &QPushButton::released, this, [this] {
        m_blink = false;
        refresh();
    });
    connect(m_differenceButton, &QPushButton::toggled, this, [this](bool on) {
        m_showDifference = on;
        refresh();
    });
    connect(m_good, &QPushButton::clicked, this, &PairView::goodWanted);
    connect(m_bare, &QPushButton::clicked, this, &PairView::bareWanted);
    hide();
}

void PairView::show(const recipe::Evidence& e, bool failed, bool ofPlaces)
{
    m_bare->setVisible(ofPlaces);
    if (!e.pair) return clear();
    const auto& pair = *e.pair;
    const report::Theme& th = theme();
    Pictures::One good{imageOf(pair.good), q(pair.goodText), th.pass, false, pair.should, {}};
    Pictures::One here{imageOf(pair.here), q(pair.hereText), failed ? th.fail : th.pass, failed, pair.should, pair.is};
    Pictures::One difference{imageOf(pair.difference), tr("difference"), failed ? th.fail : th.pass, failed, {}, {}};
    m_pictures->all = {good, here, difference};
    QString words;
    for (const auto& f : pair.facts)
        words += (words.isEmpty() ? QString() : QStringLiteral("<br>")) +
                 QStringLiteral("<span style='color:%1'>%2 %3</span>")
                     .arg((f.good ? th.ink : th.fail).name(), q(f.text).toHtmlEscaped(),
                          f.good ? QStringLiteral("✓") : QStringLiteral("✕"));
    m_facts->setText(words);
    if (e.map) {
        const int places = e.map->high < 1 ? 3 : e.map->high < 20 ? 1 : 0;
        m_pictures->all.push_back(
            {imageOf(e.map->picture),
             tr("±%1 … %2").arg(QString::number(e.map->low, 'f', places), QString::number(e.map->high, 'f', places)),
             th.second,
             false,
             {},
             {}});
        m_pictures->setToolTip(tr("What may vary, dark is much, in %1; %2").arg(q(e.map->unit), q(e.map->text)));
    }
    QWidget::show();
    refresh();
}

void PairView::clear()
{
    m_pictures->all.clear();
    refresh();
    hide();
}

QString PairView::facts() const { return m_facts->text(); }

// Of the three kept pictures the two that are asked for; while blinking the good one stands where this one stood.
void PairView::refresh()
{
    m_pictures->shown.clear();
    if (m_pictures->all.size() >= 3) {
        m_pictures->shown = {m_pictures->all[0], m_pictures->all[m_showDifference ? 2 : 1]};
        if (m_pictures->all.size() > 3) m_pictures->shown.push_back(m_pictures->all[3]);
        if (m_blink)
            m_pictures->shown[1].picture = m_pictures->all[0].picture,
            m_pictures->shown[1].text = m_pictures->all[0].text;
    }
    m_pictures->update();
}

} // namespace desktop
