// feed.h - where the items come from: source, how it is played, what is kept, which batch.
#pragma once
#include "desktop/session.h"
#include "station/station.h"

#include <QWidget>

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QSpinBox;

namespace desktop
{

class Feed : public QWidget
{
    Q_OBJECT
public:
    using SourceMaker = std::function<std::unique_ptr<station::PictureSource>(const station::Conveyor&)>;
    Feed(Session& session, SourceMaker simulated, QWidget* parent);
    // Gives the line the source that is chosen, if it has another one; the one of last time without asking. False: there is none, and said() says why.
    bool choose(station::Station& line);
    // Of a camera, which is opened anew when it is needed again. True: the line has no source now.
    bool letGo(station::Station& line);
    QString sourceWord() const;
    int pause() const; // ms from one picture to the next, of a list
    records::Keep keep() const;
    QString batch() const;
    void setRuns(const QString& words); // what is on the line
    void setRights(bool engineer, bool report);
    void setRunning(bool running);
    void refresh(); // where in its list the source is

signals:
    void said(const QString& text); // empty: nothing is wrong any more
    void changed();                 // what is kept, which batch
    void batchNamed(const QString& before, const QString& now);
    void sourceChosen(const QString& words);
    void takeWanted(); // one item from where the list stands now

private:
    bool makeFolder();
    bool makeCamera();
    void askBelt();
    void seek(int index, bool take);
    void showControls();
    station::ListSource* list() const;

    Session& m_session;
    SourceMaker m_simulated;
    station::Conveyor m_conveyor;
    std::shared_ptr<station::PictureSource> m_made;
    QComboBox *m_source, *m_keep;
    QLineEdit* m_batch;
    QPushButton *m_belt, *m_previous, *m_next;
    QSpinBox* m_at;
    QDoubleSpinBox* m_pace;
    QCheckBox *m_again, *m_follow;
    QLabel* m_runs;
    QString m_folder, m_camera,
        m_batchBefore; // folder and camera: the last ones, of an earlier start of the program too
    int m_madeIndex = -1;
    bool m_ask = false; // a person chose a source: which one is asked for
    bool m_running = false, m_engineer = true;
};

} // namespace desktop
