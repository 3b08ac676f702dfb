// run_panels.h - what stands below the tape in Run: the last rejects, how long items take, and lamps.
#pragma once
#include "station/line.h"

#include <QImage>
#include <QWidget>
#include <deque>
#include <map>

namespace desktop
{

// Crops of the first failing place, the datum level, each with its own verdict, time and fault. A click pins it.
class RejectStrip : public QWidget
{
    Q_OBJECT
public:
    static constexpr int kKept = 12;
    explicit RejectStrip(QWidget* parent = nullptr);
    // Those of a picture that were rejected; `number`: of the first item of the picture, as it stands on the screen.
    void add(const station::Logged& logged, long long number);
    void clear();
    int count() const { return int(m_rejects.size()); }
    long long numberAt(int i) const { return m_rejects[std::size_t(i)].number; } // 0: the latest
    QRect cellAt(int i) const;                                                   // empty: out of view
    void setChosen(long long number);

signals:
    void chosen(long long number);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    bool event(QEvent*) override; // tooltips

private:
    struct Reject {
        long long number = 0;
        QImage crop;
        double reach = 0; // of the circle, crop px
        QString time, fault, word;
        bool measured = true;
    };
    int indexAt(QPoint p) const;
    std::deque<Reject> m_rejects; // newest first
    long long m_chosen = 0;
};

// Milliseconds from trigger until everybody is told, of the last items.
class CyclePlot : public QWidget
{
    Q_OBJECT
public:
    static constexpr std::size_t kKept = 1000;
    explicit CyclePlot(QWidget* parent = nullptr);
    void add(double milliseconds);
    void clear();
    struct Figures {
        double median = 0, most = 0, worst = 0; // most: 99th percentile
    };
    Figures figures() const;

protected:
    void paintEvent(QPaintEvent*) override;

private:
    std::deque<double> m_times;
};

// One lamp for each part of the world, with plain words; what is in trouble says what, until it is over.
class Lamps : public QWidget
{
    Q_OBJECT
public:
    enum class State { Off, Well, Trouble };
    explicit Lamps(QWidget* parent = nullptr);
    void set(const QString& what, State state, const QString& words);
    void drop(const QString& what);
    State state(const QString& what) const;
    QString words(const QString& what) const;
    QStringList all() const { return m_order; }

protected:
    void paintEvent(QPaintEvent*) override;
    bool event(QEvent*) override;

private:
    struct Lamp {
        State state = State::Off;
        QString words;
        QRectF box;
    };
    QStringList m_order;
    std::map<QString, Lamp> m_lamps;
};

} // namespace desktop
