// camera_dialog.h - standing at the camera: live picture, exposure, clipping, focus, evenness of light; pictures become
// trials. What is set here is set in the recipe, by undo too.
#pragma once
#include "desktop/session.h"
#include "desktop/sheet_canvas.h"
#include "inspect/light.h"
#include "station/source.h"

#include <QDialog>
#include <thread>

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QLineEdit;
class QPushButton;

namespace desktop
{

// The picture as it comes, what clips marked, the light over it as a map.
class LivePicture : public SheetCanvas
{
    Q_OBJECT
public:
    explicit LivePicture(QWidget* parent);
    void show(std::shared_ptr<const image::Capture> capture);
    void setEvenness(std::optional<inspect::Evenness> evenness);
    void setMarksClipping(bool on);
    void setTrouble(const QString& words); // said instead of a picture
    inspect::Window seen() const;          // what of the picture is in view, px
    bool empty() const { return m_picture.isNull(); }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    QImage marked(const image::Picture& picture) const;
    std::shared_ptr<const image::Capture> m_last;
    std::optional<inspect::Evenness> m_evenness;
    bool m_marks = true;
    QString m_trouble;
};

class HistogramView : public QWidget
{
    Q_OBJECT
public:
    explicit HistogramView(QWidget* parent);
    void show(const inspect::Levels& levels);
    QString words() const { return m_words; }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    inspect::Levels m_levels;
    QString m_words;
};

class CameraDialog : public QDialog
{
    Q_OBJECT
public:
    using SourceMaker = std::function<std::unique_ptr<station::PictureSource>(const station::Conveyor&)>;
    // `folder`: where pictures are put when the recipe has no place yet.
    CameraDialog(Session& session, SourceMaker simulated, QString folder, QWidget* parent);
    ~CameraDialog() override;
    double sharpness() const { return m_sharpness; }
    double best() const { return m_best; }
    long long frames() const { return m_frames; }
    bool exposing() const { return m_auto.has_value(); }

public slots:
    void takeTrial();
    void takeTarget();
    void automatic();

private:
    struct Frame {
        std::shared_ptr<const image::Capture> capture;
        QString trouble;
        recipe::CameraSettings under;
        std::optional<std::pair<double, double>> bounds;
        inspect::Levels levels;
        double sharpness = 0;
        std::optional<inspect::Evenness> evenness;
    };
    void makePanel(class QVBoxLayout* layout);
    void open(int index);
    void look();
    void close();
    void run(std::stop_token stop, std::shared_ptr<station::PictureSource> source);
    void arrived();
    void apply(); // the recipe's settings, to the source
    void edit(const QString& what, const std::function<void(recipe::CameraSettings&)>& change);
    void follow(); // fields from the recipe
    std::optional<QString> put(const QString& prefix);

    Session& m_session;
    SourceMaker m_simulated;
    QString m_folder;
    LivePicture* m_live;
    HistogramView* m_histogram;
    QComboBox *m_source, *m_format, *m_trigger;
    QDoubleSpinBox *m_exposure, *m_gain;
    QLineEdit* m_window;
    QPushButton *m_auto_button, *m_take, *m_target, *m_anew;
    QCheckBox *m_clipping, *m_even;
    QLabel *m_state, *m_focus, *m_evenness, *m_taken;
    std::vector<std::string> m_ids; // of the cameras in the list
    std::optional<inspect::AutoExposure> m_auto;
    double m_sharpness = 0, m_best = 0;
    long long m_frames = 0;
    std::shared_ptr<const image::Capture> m_capture;
    std::optional<std::pair<double, double>> m_bounds;
    // With the thread that takes:
    std::mutex m_mutex;
    std::shared_ptr<const recipe::Recipe> m_wanted;
    std::optional<Frame> m_newest;
    std::optional<inspect::Window> m_seen; // where sharpness is looked at; none: the whole picture
    bool m_announced = false, m_wantsEvenness = false;
    std::jthread m_thread; // last
};

} // namespace desktop
