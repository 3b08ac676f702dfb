#include "desktop/pictures_dialog.h"

#include "image/decode.h"
#include "report/sheet_painter.h"
#include "report/theme.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QFileInfo>
#include <QGroupBox>
#include <QHeaderView>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>
#include <QTableWidget>
#include <QVBoxLayout>

namespace desktop
{
namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
enum Column { Key, File, Holds };
// The steps of a plan in rows and columns; nothing when it is none.
struct Grid {
    int rows = 0, columns = 0;
    double x = 0, y = 0;
};
std::optional<Grid> gridOf(const image::TilePlan& plan)
{
    Grid g;
    for (const auto& t : plan.tiles) {
        const QStringList parts = q(t.name).split(QLatin1Char('.'));
        if (parts.size() != 2 || parts[0].toInt() < 1 || parts[1].toInt() < 1) return std::nullopt;
        g.rows = std::max(g.rows, parts[0].toInt()), g.columns = std::max(g.columns, parts[1].toInt());
    }
    if (std::size_t(g.rows) * std::size_t(g.columns) != plan.tiles.size()) return std::nullopt;
    if (g.columns > 1) g.x = plan.tiles[1].x - plan.tiles[0].x;
    if (g.rows > 1) g.y = plan.tiles[std::size_t(g.columns)].y - plan.tiles[0].y;
    return g;
}
std::optional<double> numberIn(const QLineEdit* edit)
{
    bool ok = false;
    const double x = edit->text().trimmed().replace(QLatin1Char(','), QLatin1Char('.')).toDouble(&ok);
    return ok && std::isfinite(x) ? std::optional(x) : std::nullopt;
}
} // namespace

PicturesDialog::PicturesDialog(Session& session, QWidget* parent)
    : QDialog(parent), m_session(session), m_naming(session.recipe().pictures)
{
    setObjectName(QStringLiteral("picturesDialog"));
    setWindowTitle(tr("Pictures of a capture"));
    resize(980, 760);
    if (session.trial() >= 0) m_picture = q(session.recipe().trials[std::size_t(session.trial())].picture);
    auto* whole = new QVBoxLayout(this);
    auto* about = new QLabel(
        tr("One capture may hold several pictures, told apart by their files' names: {id} stands for what they "
           "share, as in {id}-white.png and {id}-red.png. A picture joined from tiles has {row} and {column} in "
           "its name, or {tile}. A step says which picture it reads; what none reads is not loaded while running."),
        this);
    about->setWordWrap(true);
    whole->addWidget(about);
    m_table = new QTableWidget(0, 3, this);
    m_table->setObjectName(QStringLiteral("pictures"));
    m_table->setAccessibleName(tr("Pictures"));
    m_table->setHorizontalHeaderLabels({tr("Name"), tr("File"), tr("Holds")});
    m_table->horizontalHeader()->setSectionResizeMode(File, QHeaderView::Stretch);
    m_table->verticalHeader()->hide();
    m_table->setSelectionBehavior(QAbstractItemView::SelectRows);
    m_table->setSelectionMode(QAbstractItemView::SingleSelection);
    m_table->setColumnWidth(Key, 160), m_table->setColumnWidth(Holds, 200);
    m_table->setMaximumHeight(150);
    whole->addWidget(m_table);
    auto* row = new QHBoxLayout;
    whole->addLayout(row);
    auto* add = new QPushButton(tr("Add picture"), this);
    add->setObjectName(QStringLiteral("addPicture"));
    m_drop = new QPushButton(tr("Take out"), this);
    m_drop->setObjectName(QStringLiteral("dropPicture"));
    m_says = new QLabel(this);
    m_says->setObjectName(QStringLiteral("picturesSaid"));
    m_says->setWordWrap(true);
    row->addWidget(add), row->addWidget(m_drop), row->addWidget(m_says, 1);

    makeTiles();
    whole->addWidget(m_tiles, 1);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
    m_ok = buttons->button(QDialogButtonBox::Ok);
    m_ok->setText(tr("Take"));
    whole->addWidget(buttons);
    connect(buttons, &QDialogButtonBox::accepted, this, &PicturesDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    connect(add, &QPushButton::clicked, this, &PicturesDialog::addPicture);
    connectAll();
    fillTable();
    if (m_table->rowCount() > 0) m_table->selectRow(0);
    chooseRow();
}

// What belongs to a picture that is joined: its plan, the map, the seams.
void PicturesDialog::makeTiles()
{
    m_tiles = new QGroupBox(tr("Joined from tiles"), this);
    auto* tiles = new QVBoxLayout(m_tiles);
    auto* plan = new QHBoxLayout;
    tiles->addLayout(plan);
    const auto labelled = [&](const QString& text, QWidget* w, const char* name, const QString& help) {
        auto* l = new QLabel(text, m_tiles);
        l->setBuddy(w);
        w->setObjectName(QLatin1String(name));
        w->setAccessibleName(text);
        w->setToolTip(help);
        plan->addWidget(l), plan->addWidget(w);
    };
    m_rows = new QSpinBox(m_tiles), m_columns = new QSpinBox(m_tiles);
    m_rows->setRange(1, 20), m_columns->setRange(1, 20);
    labelled(tr("Rows"), m_rows, "tileRows", tr("Tiles below each other"));
    labelled(tr("Columns"), m_columns, "tileColumns", tr("Tiles beside each other"));
    m_stepX = new QLineEdit(m_tiles), m_stepY = new QLineEdit(m_tiles), m_reach = new QLineEdit(m_tiles);
    for (QLineEdit* e : {m_stepX, m_stepY, m_reach}) e->setMaximumWidth(70);
    labelled(tr("Step across, px"), m_stepX, "tileStepX", tr("From one column to the next, as planned"));
    labelled(tr("down, px"), m_stepY, "tileStepY", tr("From one row to the next, as planned"));
    labelled(tr("Reach, px"), m_reach, "tileReach", tr("How far a tile may lie off its place in the plan"));
    m_find = new QPushButton(tr("Find from the picture"), m_tiles);
    m_find->setObjectName(QStringLiteral("findPlan"));
    m_find->setToolTip(tr("Works out the steps from what the tiles of the picture in view share"));
    plan->addWidget(m_find), plan->addStretch();
    auto* how = new QHBoxLayout;
    tiles->addLayout(how);
    m_by = new QComboBox(m_tiles);
    m_by->setObjectName(QStringLiteral("tileBy"));
    m_by->addItems({tr("Laid by what tiles share"), tr("Laid as planned")});
    m_by->setToolTip(tr("By what they share: to a fraction of a pixel, in every picture anew; as planned: for a stage "
                        "that is sure of its places"));
    m_even = new QCheckBox(tr("Even out the light"), m_tiles);
    m_even->setObjectName(QStringLiteral("tileEven"));
    m_even->setToolTip(tr("Each tile is made as bright as its neighbours where they overlap"));
    m_shows = new QComboBox(m_tiles);
    m_shows->setObjectName(QStringLiteral("seamShows"));
    m_shows->addItems({tr("Joined"), tr("First tile"), tr("Second tile")});
    m_shows->setToolTip(tr("What the close up shows; hold B to blink between the two tiles"));
    m_letGo = new QPushButton(tr("Let go"), m_tiles);
    m_letGo->setObjectName(QStringLiteral("letTilesGo"));
    m_letGo->setToolTip(tr("Tiles that were moved by hand are laid by the picture again"));
    how->addWidget(m_by), how->addWidget(m_even), how->addWidget(m_letGo), how->addStretch(), how->addWidget(m_shows);
    m_map = new SeamMap(m_tiles);
    tiles->addWidget(m_map, 3);
    auto* below = new QHBoxLayout;
    tiles->addLayout(below, 4);
    m_seams = new QTableWidget(0, 4, m_tiles);
    m_seams->setObjectName(QStringLiteral("seams"));
    m_seams->setAccessibleName(tr("Seams"));
    m_seams->setHorizontalHeaderLabels({tr("Seam"), tr("Left over, px"), tr("Across, down"), tr("Grey")});
    m_seams->verticalHeader()->hide();
    m_seams->setSelectionBehavior(QAbstractItemView::SelectRows);
    m_seams->setSelectionMode(QAbstractItemView::SingleSelection);
    m_seams->setEditTriggers(QAbstractItemView::NoEditTriggers);
    m_seams->setMinimumWidth(390);
    m_seams->setToolTip(
        tr("Arrow keys with Ctrl move the second tile by 0.1 px, with Shift too by 1 px; it stays there then"));
    m_seams->installEventFilter(this);
    below->addWidget(m_seams, 2);
    m_close = new SeamCloseUp(m_tiles);
    below->addWidget(m_close, 3);
    m_joinedSays = new QLabel(m_tiles);
    m_joinedSays->setObjectName(QStringLiteral("joinedSaid"));
    m_joinedSays->setWordWrap(true);
    tiles->addWidget(m_joinedSays);
}

void PicturesDialog::connectAll()
{
    connect(m_drop, &QPushButton::clicked, this, &PicturesDialog::dropPicture);
    connect(m_table, &QTableWidget::cellChanged, this, &PicturesDialog::tableEdited);
    connect(m_table, &QTableWidget::itemSelectionChanged, this, &PicturesDialog::chooseRow);
    connect(m_rows, &QSpinBox::valueChanged, this, &PicturesDialog::gridEdited);
    connect(m_columns, &QSpinBox::valueChanged, this, &PicturesDialog::gridEdited);
    for (QLineEdit* e : {m_stepX, m_stepY, m_reach})
        connect(e, &QLineEdit::editingFinished, this, &PicturesDialog::gridEdited);
    connect(m_by, &QComboBox::currentIndexChanged, this, &PicturesDialog::gridEdited);
    connect(m_even, &QCheckBox::toggled, this, &PicturesDialog::gridEdited);
    connect(m_find, &QPushButton::clicked, this, &PicturesDialog::findPlan);
    connect(m_letGo, &QPushButton::clicked, this, &PicturesDialog::letGo);
    connect(m_shows, &QComboBox::currentIndexChanged, this,
            [this](int i) { m_close->setShows(SeamCloseUp::Shows(i)); });
    connect(m_map, &SeamMap::chosen, this, &PicturesDialog::chooseSeam);
    connect(m_seams, &QTableWidget::itemSelectionChanged, this, [this] {
        if (!m_filling && m_seams->currentRow() >= 0) chooseSeam(m_seams->currentRow());
    });
    m_timer.setSingleShot(true);
    m_timer.setInterval(80);
    connect(&m_timer, &QTimer::timeout, this, &PicturesDialog::rejoin);
}

void PicturesDialog::fillTable()
{
    m_filling = true;
    const int row = m_table->currentRow();
    m_table->setRowCount(int(m_naming.size()));
    for (int i = 0; i < int(m_naming.size()); ++i) {
        const image::PictureName& n = m_naming[std::size_t(i)];
        m_table->setItem(i, Key, new QTableWidgetItem(q(n.key)));
        m_table->setItem(i, File, new QTableWidgetItem(q(n.file)));
        auto* holds = new QComboBox(m_table);
        holds->setObjectName(QStringLiteral("holds%1").arg(i));
        holds->addItems({tr("Light"), tr("Light, joined from tiles"), tr("Heights")});
        holds->setCurrentIndex(n.height ? 2 : n.tiles ? 1 : 0);
        holds->setToolTip(tr("Heights are described under Edit, Heights"));
        connect(holds, &QComboBox::activated, this, [this, i](int what) {
            image::PictureName& one = m_naming[std::size_t(i)];
            if (what == 1 && !one.tiles) {
                one.tiles = image::gridPlan(1, 2, {1000, 0}, {0, 1000});
                const auto end = one.file.rfind('.');
                if (one.file.find("{row}") == std::string::npos && one.file.find("{tile}") == std::string::npos)
                    one.file.insert(end == std::string::npos ? one.file.size() : end, "_{row}_{column}");
            }
            if (what != 1 && one.tiles) {
                one.tiles.reset();
                for (const char* part : {"_{row}_{column}", "_{tile}", "{row}", "{column}", "{tile}"})
                    if (const auto at = one.file.find(part); at != std::string::npos)
                        one.file.erase(at, std::string(part).size());
            }
            if (what == 2 && !one.height) one.height = image::HeightScale{};
            if (what != 2) one.height.reset();
            m_table->selectRow(i);
            fillTable();
            chooseRow();
        });
        m_table->setCellWidget(i, Holds, holds);
    }
    if (row >= 0 && row < m_table->rowCount()) m_table->selectRow(row);
    m_filling = false;
    m_drop->setEnabled(!m_naming.empty());
    say();
}

void PicturesDialog::tableEdited(int row, int column)
{
    if (m_filling || row < 0 || row >= int(m_naming.size())) return;
    const std::string text = m_table->item(row, column)->text().trimmed().toStdString();
    (column == Key ? m_naming[std::size_t(row)].key : m_naming[std::size_t(row)].file) = text;
    say();
    m_timer.start();
}

void PicturesDialog::addPicture()
{
    // The first one is the picture in view, whatever it is called.
    const QString suffix =
        QFileInfo(m_picture).suffix().isEmpty() ? QStringLiteral("png") : QFileInfo(m_picture).suffix();
    const char* const names[] = {"white", "red", "dome", "back"};
    std::string key = "light " + std::to_string(m_naming.size() + 1);
    for (const char* n : names)
        if (std::none_of(m_naming.begin(), m_naming.end(), [&](const auto& x) { return x.key == n; })) {
            key = n;
            break;
        }
    m_naming.push_back({key, (m_naming.empty() ? "{id}." : "{id}-" + key + ".") + suffix.toStdString(), {}});
    fillTable();
    m_table->selectRow(int(m_naming.size()) - 1);
}

void PicturesDialog::dropPicture()
{
    const int row = m_table->currentRow();
    if (row < 0 || row >= int(m_naming.size())) return;
    m_naming.erase(m_naming.begin() + row);
    fillTable();
    chooseRow();
}

image::PictureName* PicturesDialog::chosen()
{
    const int row = m_table->currentRow();
    return row >= 0 && row < int(m_naming.size()) ? &m_naming[std::size_t(row)] : nullptr;
}

void PicturesDialog::chooseRow()
{
    image::PictureName* one = chosen();
    m_tiles->setEnabled(one && one->tiles);
    m_filling = true;
    if (one && one->tiles) {
        const auto grid = gridOf(*one->tiles);
        m_rows->setValue(grid ? grid->rows : 1),
            m_columns->setValue(grid ? grid->columns : int(one->tiles->tiles.size()));
        m_stepX->setText(grid ? q(base::toText(grid->x, 1)) : QString());
        m_stepY->setText(grid ? q(base::toText(grid->y, 1)) : QString());
        m_reach->setText(q(base::shortest(one->tiles->reach)));
        m_by->setCurrentIndex(one->tiles->byPicture ? 0 : 1);
        m_even->setChecked(one->tiles->evenLight);
    }
    m_filling = false;
    m_timer.start();
}

void PicturesDialog::gridEdited()
{
    image::PictureName* one = chosen();
    if (m_filling || !one || !one->tiles) return;
    image::TilePlan& plan = *one->tiles;
    const auto x = numberIn(m_stepX), y = numberIn(m_stepY), reach = numberIn(m_reach);
    const auto before = gridOf(plan);
    const bool other = !before || before->rows != m_rows->value() || before->columns != m_columns->value() ||
                       (x && base::toText(before->x, 1) != base::toText(*x, 1)) ||
                       (y && base::toText(before->y, 1) != base::toText(*y, 1));
    if (other) {
        image::TilePlan next =
            image::gridPlan(m_rows->value(), m_columns->value(), {x.value_or(1000), 0}, {0, y.value_or(1000)});
        plan.tiles = std::move(next.tiles);
    }
    if (reach) plan.reach = std::clamp(*reach, 0.0, 1000.0);
    plan.byPicture = m_by->currentIndex() == 0;
    plan.evenLight = m_even->isChecked();
    say();
    m_timer.start();
}

// The tiles of the picture in view, decoded; those that are not there empty.
std::vector<image::Image> PicturesDialog::tilesInView(const image::PictureName& name, QString& why) const
{
    std::vector<image::Image> out(name.tiles->tiles.size());
    if (m_picture.isEmpty()) {
        why = tr("No picture is in view to join");
        return out;
    }
    image::PictureName alone = name;
    alone.key = "joined";
    const auto files = image::readCapture({alone}, m_picture.toStdString());
    if (!files) {
        why = q(files.error().text());
        return out;
    }
    for (const image::FileBytes& f : *files)
        for (std::size_t i = 0; i < out.size(); ++i)
            if (f.key == "joined/" + name.tiles->tiles[i].name) {
                auto one = image::decode(*f.bytes, f.path);
                if (!one) {
                    why = q(one.error().text());
                    return out;
                }
                out[i] = std::move(*one);
            }
    return out;
}

void PicturesDialog::findPlan()
{
    image::PictureName* one = chosen();
    if (!one || !one->tiles) return;
    image::PictureName asked = *one;
    const auto grid = gridOf(*one->tiles);
    if (!grid)
        return m_joinedSays->setText(
            tr("Tiles that are not called by row and column need their places stated in the recipe's file"));
    struct Found {
        QString why;
        base::Result<image::TilePlan> plan = base::fail(base::ErrorCode::NotFound, "");
    };
    Found found = awake([&] {
        Found f;
        const auto tiles = tilesInView(asked, f.why);
        if (f.why.isEmpty()) f.plan = image::planFrom(grid->rows, grid->columns, tiles);
        return f;
    });
    if (!found.why.isEmpty()) return m_joinedSays->setText(found.why);
    if (!found.plan) return m_joinedSays->setText(q(found.plan.error().text()));
    found.plan->byPicture = one->tiles->byPicture, found.plan->evenLight = one->tiles->evenLight;
    one->tiles = std::move(*found.plan);
    chooseRow();
    say();
}

void PicturesDialog::rejoin()
{
    image::PictureName* one = chosen();
    if (!one || !one->tiles) {
        m_joined.reset(), m_seam = -1;
        m_job.drop();
        return showSeams();
    }
    if (const auto ok = image::check(image::Naming{*one}); !ok) {
        m_joined.reset();
        m_joinedSays->setText(q(ok.error().text()));
        return showSeams();
    }
    m_joinedSays->setText(tr("joining …"));
    m_job.ask([this, name = *one]() -> LatestJob::Answer {
        QString why;
        auto shown = std::make_shared<JoinedShown>();
        const auto tiles = tilesInView(name, why);
        if (why.isEmpty()) {
            auto joined = image::join(*name.tiles, tiles);
            if (joined) {
                shown->how = std::move(joined->how), shown->whole = report::toQImage(joined->pixels);
                for (const image::Image& t : tiles) shown->tiles.push_back(t.empty() ? QImage() : report::toQImage(t));
            } else {
                why = q(joined.error().text());
            }
        }
        return [this, shown, why] {
            m_joined = why.isEmpty() ? JoinedShownPtr(shown) : nullptr;
            if (!why.isEmpty()) m_joinedSays->setText(why);
            showSeams();
        };
    });
}

void PicturesDialog::showSeams()
{
    m_filling = true;
    m_seams->setRowCount(0);
    if (m_joined) {
        const image::Joined& how = m_joined->how;
        if (m_seam >= int(how.seams.size())) m_seam = -1;
        if (m_seam < 0 && !how.seams.empty()) m_seam = 0;
        int row = 0;
        for (const auto& s : how.seams) {
            m_seams->insertRow(row);
            const auto cell = [&](int column, const QString& text) {
                m_seams->setItem(row, column, new QTableWidgetItem(text));
            };
            cell(0, q(how.tiles[std::size_t(s.first)].name) + QStringLiteral(" – ") +
                        q(how.tiles[std::size_t(s.second)].name));
            cell(1, s.seen ? q(base::toText(s.residual(), 3)) : tr("nothing to see"));
            cell(2, s.seen ? q(base::toText(s.dx, 3) + ", " + base::toText(s.dy, 3)) : QString());
            cell(3, s.seen ? q(base::toText(s.grey, 1)) : QString());
            ++row;
        }
        m_seams->resizeColumnsToContents();
        const auto missing = how.missing();
        QString text = tr("%1 × %2 px, largest left over %3 px")
                           .arg(m_joined->whole.width())
                           .arg(m_joined->whole.height())
                           .arg(how.worstResidual(), 0, 'f', 3);
        if (!missing.empty())
            text += tr("; missing: %1, nothing is measured there").arg(q([&] {
                std::string all;
                for (const auto& m : missing) all += (all.empty() ? "" : ", ") + m;
                return all;
            }()));
        const image::PictureName* one = chosen();
        QStringList held;
        if (one && one->tiles)
            for (const auto& t : one->tiles->tiles)
                if (t.held) held << q(t.name);
        if (!held.isEmpty()) text += tr("; held by hand: %1").arg(held.join(QStringLiteral(", ")));
        m_letGo->setEnabled(!held.isEmpty());
        m_joinedSays->setText(text);
    }
    m_filling = false;
    m_map->show(m_joined, m_seam);
    m_close->show(m_joined, m_seam);
    if (m_seam >= 0 && m_seam < m_seams->rowCount()) {
        m_filling = true;
        m_seams->selectRow(m_seam);
        m_filling = false;
    }
}

void PicturesDialog::chooseSeam(int seam)
{
    m_seam = seam;
    m_map->show(m_joined, m_seam);
    m_close->show(m_joined, m_seam);
    if (m_seams->currentRow() != seam) {
        m_filling = true;
        m_seams->selectRow(seam);
        m_filling = false;
    }
}

void PicturesDialog::nudge(double dx, double dy)
{
    image::PictureName* one = chosen();
    if (!m_joined || !one || !one->tiles || m_seam < 0) return;
    const image::Joined& how = m_joined->how;
    const auto& s = how.seams[std::size_t(m_seam)];
    auto& tiles = one->tiles->tiles;
    // Where they lie now is where they are held from.
    double left = 1e18, top = 1e18;
    for (const auto& t : tiles) left = std::min(left, t.x), top = std::min(top, t.y);
    for (const int i : {s.first, s.second}) {
        auto& t = tiles[std::size_t(i)];
        if (t.held) continue;
        t.x = left + how.tiles[std::size_t(i)].x, t.y = top + how.tiles[std::size_t(i)].y;
        t.held = true;
    }
    tiles[std::size_t(s.second)].x += dx, tiles[std::size_t(s.second)].y += dy;
    m_timer.start();
}

void PicturesDialog::letGo()
{
    image::PictureName* one = chosen();
    if (!one || !one->tiles) return;
    for (auto& t : one->tiles->tiles) t.held = false;
    m_timer.start();
}

bool PicturesDialog::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == m_seams && (event->type() == QEvent::KeyPress || event->type() == QEvent::KeyRelease)) {
        auto* key = static_cast<QKeyEvent*>(event);
        if (key->key() == Qt::Key_B && !key->isAutoRepeat()) {
            m_close->setShows(event->type() == QEvent::KeyPress ? SeamCloseUp::Shows::Second
                                                                : SeamCloseUp::Shows(m_shows->currentIndex()));
            return true;
        }
        if (event->type() == QEvent::KeyPress && (key->modifiers() & Qt::ControlModifier)) {
            const double by = key->modifiers() & Qt::ShiftModifier ? 1 : 0.1;
            switch (key->key()) {
            case Qt::Key_Left: nudge(-by, 0); return true;
            case Qt::Key_Right: nudge(by, 0); return true;
            case Qt::Key_Up: nudge(0, -by); return true;
            case Qt::Key_Down: nudge(0, by); return true;
            default: break;
            }
        }
    }
    return QDialog::eventFilter(watched, event);
}

void PicturesDialog::say()
{
    const auto ok = image::check(m_naming);
    m_ok->setEnabled(bool(ok));
    if (!ok) return m_says->setText(q(ok.error().text()));
    if (m_naming.empty()) return m_says->setText(tr("Every picture is a capture of its own."));
    if (m_picture.isEmpty()) return m_says->setText({});
    const auto files = image::filesOf(m_naming, m_picture.toStdString());
    if (!files) return m_says->setText(q(files.error().text()));
    QStringList lost;
    for (const auto& [key, file] : files->files)
        if (!QFileInfo::exists(q(file))) lost << QFileInfo(q(file)).fileName();
    m_says->setText(lost.isEmpty() ? tr("%1: all %2 files are there").arg(q(files->id)).arg(files->files.size())
                                   : tr("%1: not there: %2").arg(q(files->id), lost.join(QStringLiteral(", "))));
}

void PicturesDialog::accept()
{
    if (const auto ok = m_session.setPictures(m_naming); !ok) return m_says->setText(q(ok.error().text()));
    QDialog::accept();
}

} // namespace desktop
