// trial_crops.h - small pictures out of trials: the worst place of an item with the datum level, or the whole picture.
//
// They are made off the window's thread, one after the other, the one asked for last first.
#pragma once
#include "desktop/session.h"

#include <QImage>
#include <deque>
#include <map>

namespace desktop
{

class TrialCrops : public QObject
{
    Q_OBJECT
public:
    static constexpr int kWide = 64, kHigh = 46; // screen px
    explicit TrialCrops(Session& session, QObject* parent = nullptr);
    // Null while it is being made, or when there is no such place. Item -1: of all the worst; empty step: of all
    // checks.
    QImage spot(int trial, int item, const std::string& step, const std::string& output);
    QImage whole(int trial);

signals:
    void came();

private:
    struct Wanted {
        std::string key, picture;
        geometry::Point at;
        double half = 0, turn = 0; // px of the picture, radians; half 0: the whole picture
    };
    QImage find(Wanted wanted);
    void next();

    Session& m_session;
    std::map<std::string, QImage> m_made;
    std::deque<Wanted> m_wanted;
    bool m_working = false;
    LatestJob m_job; // last: its thread ends first
};

} // namespace desktop
