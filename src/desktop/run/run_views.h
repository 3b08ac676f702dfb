// run_views.h - Run's far-readable parts: the sheet of the item in view, its values on one ladder, the verdict across.
// All are given one item and the line it was taken under; nothing is read from the recipe being edited.
#pragma once
#include "desktop/sheet_canvas.h"
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

protected:
    void paintEvent(QPaintEvent*) override;

private:
    station::Logged m_logged;
    int m_item = -1;
    QString m_hint;
};

// Each value between its limits; all share one ladder.
class LadderView : public QWidget
{
    Q_OBJECT
public:
    explicit LadderView(QWidget* parent = nullptr);
    // `title`: of which item, where there are several.
    void show(const inspect::ItemResult* item, const QString& title = {});
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

class VerdictBand : public QWidget
{
    Q_OBJECT
public:
    explicit VerdictBand(QWidget* parent = nullptr);
    struct Counts {
        long long items = 0, accepted = 0;
        double perMinute = 0;
    };
    // `present`: the latest item, not an older one looked at.
    void show(const inspect::PictureResult* result, const Counts& counts, bool present);
    QString word() const { return m_word; }
    const Counts& counts() const { return m_counts; }
    QString sentence() const { return m_sentence; }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    QColor outcomeColour() const;
    QString m_word, m_sentence, m_second;
    Counts m_counts;
    inspect::Outcome m_outcome = inspect::Outcome::Unjudged;
    bool m_measured = true, m_present = true;
};

} // namespace desktop
