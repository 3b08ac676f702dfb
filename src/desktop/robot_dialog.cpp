#include "desktop/robot_dialog.h"

#include "recipe/robot.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>

namespace desktop
{
namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
enum Column { kIn, kHereX, kHereY, kRobotX, kRobotY, kOff, kColumns };
} // namespace

RobotDialog::RobotDialog(Session& session, QWidget* parent) : QDialog(parent), m_session(session)
{
    setObjectName(QStringLiteral("robotDialog"));
    setWindowTitle(tr("Robot's frame"));
    resize(720, 460);
    auto* whole = new QVBoxLayout(this);
    auto* about =
        new QLabel(tr("Two places or more that are seen here and that the robot was driven to; three or more "
                      "say how well they fit. Outputs then tell robot.x, robot.y and robot.angle of every item."),
                   this);
    about->setWordWrap(true);
    whole->addWidget(about);
    m_table = new QTableWidget(0, kColumns, this);
    m_table->setObjectName(QStringLiteral("robotPairs"));
    m_table->setAccessibleName(tr("Pairs of points"));
    m_table->setHorizontalHeaderLabels(
        {tr("here in"), tr("here x"), tr("here y"), tr("robot x, mm"), tr("robot y, mm"), tr("off, mm")});
    m_table->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    whole->addWidget(m_table, 1);
    auto* row = new QHBoxLayout;
    const auto button = [&](const char* name, const QString& text, auto call) {
        auto* b = new QPushButton(text, this);
        b->setObjectName(QLatin1String(name));
        b->setAutoDefault(false);
        connect(b, &QPushButton::clicked, this, call);
        row->addWidget(b);
    };
    button("addPair", tr("Add"), [this] { addRow(nullptr), refresh(); });
    button("pairFromItem", tr("The item in view"), [this] { takeItem(); });
    button("removePair", tr("Remove"), [this] {
        if (m_table->currentRow() >= 0) m_table->removeRow(m_table->currentRow());
        refresh();
    });
    row->addStretch();
    m_mirrored = new QComboBox(this);
    m_mirrored->setObjectName(QStringLiteral("robotMirrored"));
    m_mirrored->addItems({tr("as the pairs fit (three or more)"), tr("the robot's y runs the other way"),
                          tr("both y run the same way")});
    m_mirrored->setToolTip(tr("The picture's y runs down. Seen from above a robot's runs up, mostly: the other way"));
    row->addWidget(new QLabel(tr("Seen"), this));
    row->addWidget(m_mirrored);
    whole->addLayout(row);
    m_state = new QLabel(this);
    m_state->setObjectName(QStringLiteral("robotState"));
    m_state->setWordWrap(true);
    m_state->setMinimumHeight(40);
    whole->addWidget(m_state);
    auto* ok = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
    connect(ok, &QDialogButtonBox::accepted, this, &RobotDialog::accept);
    connect(ok, &QDialogButtonBox::rejected, this, &QDialog::reject);
    whole->addWidget(ok);
    const recipe::RobotFrame& robot = session.recipe().robot;
    for (const auto& p : robot.pairs) addRow(&p);
    m_mirrored->setCurrentIndex(!robot.mirrored ? (robot.pairs.empty() ? 1 : 0) : *robot.mirrored ? 1 : 2);
    connect(m_table, &QTableWidget::itemChanged, this, [this](QTableWidgetItem* i) {
        if (i->column() != kOff) refresh();
    });
    connect(m_mirrored, &QComboBox::currentIndexChanged, this, &RobotDialog::refresh);
    refresh();
}

void RobotDialog::addRow(const recipe::RobotFrame::Pair* pair)
{
    const QSignalBlocker quiet(m_table);
    const int row = m_table->rowCount();
    m_table->insertRow(row);
    auto* in = new QComboBox(m_table);
    in->addItem(tr("picture px"));
    if (m_session.recipe().calibrated()) in->addItem(tr("mm"));
    in->setCurrentIndex(pair && pair->inMm ? 1 : 0);
    connect(in, &QComboBox::currentIndexChanged, this, &RobotDialog::refresh);
    m_table->setCellWidget(row, kIn, in);
    const auto put = [&](int column, double v) {
        m_table->setItem(row, column, new QTableWidgetItem(pair ? q(base::shortest(v)) : QString()));
    };
    put(kHereX, pair ? pair->here.x : 0), put(kHereY, pair ? pair->here.y : 0);
    put(kRobotX, pair ? pair->robot.x : 0), put(kRobotY, pair ? pair->robot.y : 0);
    auto* off = new QTableWidgetItem;
    off->setFlags(Qt::ItemIsEnabled);
    m_table->setItem(row, kOff, off);
}

void RobotDialog::takeItem()
{
    const auto* item = m_session.currentItem();
    if (!item || !item->pose) return m_state->setText(tr("No item with a datum is in view"));
    addRow(nullptr);
    const int row = m_table->rowCount() - 1;
    m_table->item(row, kHereX)->setText(QString::number(item->pose->origin.x, 'f', 3));
    m_table->item(row, kHereY)->setText(QString::number(item->pose->origin.y, 'f', 3));
    m_table->setCurrentCell(row, kRobotX);
    m_table->editItem(m_table->item(row, kRobotX));
    refresh();
}

base::Result<recipe::RobotFrame> RobotDialog::edited() const
{
    recipe::RobotFrame out;
    if (m_mirrored->currentIndex() > 0) out.mirrored = m_mirrored->currentIndex() == 1;
    for (int r = 0; r < m_table->rowCount(); ++r) {
        recipe::RobotFrame::Pair p;
        const auto* in = qobject_cast<QComboBox*>(m_table->cellWidget(r, kIn));
        p.inMm = in && in->currentIndex() == 1;
        double* to[] = {&p.here.x, &p.here.y, &p.robot.x, &p.robot.y};
        for (int c = kHereX; c <= kRobotY; ++c) {
            bool right = false;
            QString text = m_table->item(r, c)->text().trimmed();
            *to[c - kHereX] = text.replace(QLatin1Char(','), QLatin1Char('.')).toDouble(&right);
            if (!right)
                return base::fail(base::ErrorCode::InvalidArgument, "\"" + text.toStdString() + "\" is not a number",
                                  "pair " + std::to_string(r + 1));
        }
        out.pairs.push_back(p);
    }
    if (out.pairs.empty()) out.mirrored.reset();
    return out;
}

void RobotDialog::refresh()
{
    const auto frame = edited();
    const QSignalBlocker quiet(m_table);
    for (int r = 0; r < m_table->rowCount(); ++r) m_table->item(r, kOff)->setText(QString());
    if (!frame) return m_state->setText(q(frame.error().text()));
    if (frame->pairs.empty()) return m_state->setText(tr("no pairs: places are told in the picture's own frame"));
    recipe::Recipe tried = m_session.recipe();
    tried.robot = *frame;
    const auto map = recipe::robotMap(tried);
    if (!map) return m_state->setText(q(map.error().text()));
    for (int r = 0; r < m_table->rowCount(); ++r) {
        const auto& p = frame->pairs[std::size_t(r)];
        const auto at = map->map(p.inMm ? p.here : recipe::planeOf(tried, p.here));
        m_table->item(r, kOff)->setText(QString::number(geometry::distance(at, p.robot), 'f', 3));
    }
    QString text = frame->pairs.size() == 2 && !frame->mirrored
                       ? tr("two pairs do not tell which way y runs: choose it")
                       : tr("residual %1 mm, worst %2 mm").arg(map->residual, 0, 'f', 3).arg(map->worst, 0, 'f', 3);
    text += tr(" · %1 mm of the robot to the %2")
                .arg(map->scale(), 0, 'f', 5)
                .arg(tried.calibrated() ? tr("mm") : tr("px"));
    if (tried.calibrated() && std::abs(map->scale() - 1) > 0.02) text += tr(": should be 1, is a unit wrong?");
    if (const auto* item = m_session.currentItem(); item && item->pose) {
        const auto at = recipe::robotPose(tried, *map, *item->pose);
        text += tr("\nthe item in view: x %1, y %2, angle %3°")
                    .arg(at.x, 0, 'f', 3)
                    .arg(at.y, 0, 'f', 3)
                    .arg(at.angle, 0, 'f', 2);
    }
    m_state->setText(text);
}

void RobotDialog::accept()
{
    const auto frame = edited();
    if (!frame) return m_state->setText(q(frame.error().text()));
    recipe::Recipe tried = m_session.recipe();
    tried.robot = *frame;
    if (!frame->pairs.empty())
        if (const auto map = recipe::robotMap(tried); !map) return m_state->setText(q(map.error().text()));
    if (!(*frame == m_session.recipe().robot))
        m_session.change(tr("robot's frame"), [&](recipe::Recipe& r) { r.robot = *frame; });
    QDialog::accept();
}

} // namespace desktop
