// run_views.h - Run's far-readable parts: the sheet of the item in view, its values on one ladder, the verdict across.
// All are given one item and the line it was taken under; nothing is read from the recipe being edited.
#pragma once
#include "desktop/sheet_canvas.h"
#include "inspect/faults.h"
#include "station/line.h"

#include <QWidget>

namespace desktop
{

// What is drawn for the item in view.
class RunSheet : public SheetCanvas
{
    Q_OBJECT
public:
    explicit RunSheet(QWidget* parent = nullptr);
    // `item`: which of the picture's items is in view; -1: nothing yet.
    void show(const station::Logged& logged, int item);
    QString hint() const { return m_hint; } // said instead of a picture
    bool showsLabels() const { return m_labels > 0; }
    void point(const std::optional<inspect::Fault>& fault); // ringed until another one is
    const std::optional<inspect::Fault>& pointed() const { return m_pointed; }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    station::Logged m_logged;
    int m_item = -1;
    QString m_hint;
    std::size_t m_labels = 0;
    std::optional<inspect::Fault> m_pointed;
};

// Each value between its limits; all share one ladder.
class LadderView : public QWidget
{
    Q_OBJECT
public:
    explicit LadderView(QWidget* parent = nullptr);
    // `title`: of which item, where there are several.
    // `recipe`: which values the engineer chose for the screen.
    void show(const inspect::ItemResult& item, const recipe::Recipe& recipe, const QString& title = {});
    void showNothing();
    QStringList shownNames() const; // of the checks that have a row, from above
    QString title() const { return m_title; }
    QString othersText() const; // of the checks that have no row

protected:
    void paintEvent(QPaintEvent*) override;

private:
    std::vector<inspect::CheckResult> m_rows;
    int m_others = 0, m_othersOut = 0; // not shown; of them not passing
    bool m_has = false;
    QString m_title;
};

// The verdict, far text: stamp, first fault, item. A picture with several items splits the band, one part each.
class VerdictBand : public QWidget
{
    Q_OBJECT
public:
    explicit VerdictBand(QWidget* parent = nullptr);
    struct Counts {
        long long items = 0, accepted = 0;
        double perMinute = 0;
    };
    static constexpr int kMostParts = 4; // items side by side; with more the worst are shown and the rest counted
    // `number`: of the item in view; `present`: the latest one, not an older one looked at; `note`: said in place of
    // limits and further faults. `chosen`: which of the picture's items is in view.
    void show(const inspect::PictureResult* result, long long number, int chosen, const Counts& counts, bool present,
              const QString& note = {});
    QString word() const { return m_word; }
    const Counts& counts() const { return m_counts; }
    QString sentence() const { return inView().sentence; } // of the item in view
    QString second() const { return inView().second; }
    int parts() const { return int(m_parts.size()); }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    struct Part {
        QString word, sentence, second;
        inspect::Outcome outcome = inspect::Outcome::Unjudged;
        bool measured = true, chosen = false;
    };
    Part inView() const;
    static Part partOf(const inspect::ItemResult& item);
    void paintPart(QPainter& p, const Part& part, QRectF box, bool alone) const;
    QString m_word, m_note;
    std::vector<Part> m_parts;
    int m_more = 0, m_moreOut = 0;
    long long m_number = 0;
    Counts m_counts;
    bool m_present = true;
};

} // namespace desktop
