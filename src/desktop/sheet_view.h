// sheet_view.h - the picture with its results drawn over it; strokes on it make steps, handles edit regions.
#pragma once
#include "desktop/session.h"
#include "desktop/sheet_canvas.h"
#include "report/sheet_painter.h"

#include <QTimer>

namespace desktop
{

class SheetView : public SheetCanvas
{
    Q_OBJECT
public:
    explicit SheetView(Session& session, QWidget* parent = nullptr);

    void setArmedKind(const std::string& kind)
    {
        m_armed = kind, m_armedStays = false;
        update();
    }
    const std::string& armedKind() const { return m_armed; }
    // Who is asked before a click makes anything; true: it is theirs.
    void setClickTaker(std::function<bool(geometry::Point)> taker) { m_takesClick = std::move(taker); }
    // Who is asked when a mark or label is carried off the sheet; true: it is theirs.
    void setDropTaker(std::function<bool(const std::string&, QPoint)> taker) { m_takesDrop = std::move(taker); }
    void setArmedStays(bool on) { m_armedStays = on; } // for many strokes
    const QString& pointerText() const { return m_pointerText; }
    bool spaceHeld() const { return m_space; }
    const std::vector<report::PlacedLabel>& labels() const { return m_labels; } // as painted last
    QRectF offerRect(int index) const;                                          // of the draft's readings, widget px
    QRectF takeRect(bool take) const;                                           // the draft's Take and Drop
    bool letGo(); // the stroke under way, then the chosen kind; false when there was nothing

public slots:
    void fit(); // item and picture in turn
    void singlePixels();
    void lookAt(geometry::Point middle, double zoom); // screen px a pixel
    void startMeasuring();                            // two features pointed at make their distance a draft
    void setBare(bool on)
    {
        m_bare = on;
        if (m_greyUnder) renderPicture(); // without marks it has its colours
        update();
    }
    void setTaken(bool on);
    void setDifference(bool on);
    void setSteady(bool on);
    bool steady() const { return m_steady; }
    void quarterTurn();
    void zoomBy(double factor)
    {
        SheetCanvas::zoomBy(factor);
        keepAnchor();
    }
    QString modes() const; // what of the view is on, in words
    void fitPicture() override;
    void setAll(bool on)
    {
        m_all = on;
        update();
    }
    void setUncertainty(bool on)
    {
        m_uncertainty = on;
        update();
    }
    void setOnlyFailed(bool on)
    {
        m_onlyFailed = on;
        update();
    }
    void freeLabels(); // those moved by hand find their own places again
    void setSnapping(bool on)
    {
        m_snapping = on;
        if (m_drag == Drag::Stroke) updateStroke(false);
        update();
    }
    void setGreyUnder(bool on)
    {
        m_greyUnder = on;
        renderPicture();
        update();
    }
    void setContours(bool on)
    {
        m_contours = on;
        renderPicture();
        update();
    }
    void setLoupe(bool on)
    {
        m_loupe = on;
        update();
    }
    void nudge(QPointF picturePixels);
    void nextShape();
    void reverse();
    void startLeavingOut(); // the next stroke or area is left out of the chosen step

    void sayAtPointer(const QString& text);
    // Of the picture, under the pointer; nothing when it is elsewhere.
    std::optional<geometry::Point> pointedPlace() const;

signals:
    void referenceWanted();
    void pointerMoved(const QString& text);
    void armedUsed();

protected:
    bool event(QEvent*) override;
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override; // corners of polygons come and go
    void wheelEvent(QWheelEvent*) override;
    void leaveEvent(QEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void keyReleaseEvent(QKeyEvent*) override;
    void focusOutEvent(QFocusEvent*) override;

private:
    struct Handle {
        // a region's key; ".key" a point, "-n" an area left out, "#output" an element's place, "@" a place of the
        // step's
        std::string region;
        int index;
        geometry::Point at; // picture
        QString name{};     // said beside it
    };
    static constexpr double kClick = 6; // px; shorter strokes are clicks
    enum class Drag { None, Pan, Stroke, Handle, Label, HeightLow, HeightHigh };
    void pictureChanged();
    std::optional<std::pair<geometry::Pose, geometry::Pose>> itemPose() const; // on the reference, here
    void standStill();
    void keepAnchor();
    QImage difference() const;
    const recipe::Step* editedStep() const;
    std::vector<std::pair<std::string, geometry::Region>> regionsOf(const recipe::Step& step) const;
    std::vector<Handle> handles() const;
    void moveHandle(const Handle& handle, geometry::Point to);
    bool clickedMiddle();
    void takeSample(geometry::Point at, bool refused);
    bool changeCorners(geometry::Point at);
    void measureTo();
    bool teaches(const Handle& handle) const;
    void editStep(const QString& what, const std::function<void(recipe::Step&)>& edit, const QString& merge = {});
    std::optional<inspect::Placed> ownMotion(const recipe::Step& step) const;
    std::optional<inspect::Placed> followingMotion(const recipe::Step& step) const;
    void leaveOut(const recipe::Gesture& gesture);
    bool wantsSamples() const;
    std::optional<inspect::Placed> motionOf(const recipe::Step& step, const recipe::RegionSpec* spec) const;
    recipe::Gesture gesture() const;
    QString refusal(const recipe::Gesture& gesture) const;
    void updateStroke(bool released);
    void paintStroke(QPainter& p);
    void paintLoupe(QPainter& p);
    QString loupeText(geometry::Point at) const;
    void paintPictureKeys(QPainter& p);
    QRectF pictureKeyRect(int index) const; // of the capture's pictures, where there are several
    std::optional<report::HeightHandles> heightHandles() const;
    void dragHeights(QPointF to, bool both);
    std::optional<report::SheetScene::Heights> sceneHeights() const;
    void paintAt(QPainter& p, QPointF at, const QString& text); // a plate beside the pointer
    void paintOffers(QPainter& p);
    void countLabels(report::SheetScene& scene) const;
    void paintPointed(QPainter& p);
    void renderPicture();
    QImage pictureToShow();
    std::string featureUnder(geometry::Point p) const;
    // The place of something found nearby; a handle jumps there while it is dragged.
    geometry::Point snapped(const Handle& handle, geometry::Point to);
    bool changeTolerance(int steps);
    double axisAt(geometry::Point p) const; // radians, what Shift keeps a stroke along or square to
    QPointF offerAnchor() const;

    Session& m_session;
    std::string m_pictureKey; // which one of the capture it is
    bool m_bare = false, m_taken = false, m_all = false, m_loupe = false, m_space = false, m_snapping = true,
         m_greyUnder = false, m_contours = false;
    report::HeightRange m_rangeBefore{}; // when its handle was taken
    mutable std::pair<const image::Picture*, std::optional<report::HeightRange>> m_allHeights{};
    mutable double m_covered = 0;
    Drag m_drag = Drag::None;
    bool m_area = false, m_reversed = false, m_leaving = false;
    double m_width = 0;
    Handle m_handle{};
    std::string m_armed;
    bool m_armedStays = false;
    std::function<bool(geometry::Point)> m_takesClick;
    std::function<bool(const std::string&, QPoint)> m_takesDrop;
    std::vector<geometry::Point> m_path; // the way of the stroke, picture px
    bool m_straight = false;             // Shift: along the datum
    int m_reading = 0;                   // of the stroke under way: Tab chooses another
    std::vector<recipe::Offer> m_live;   // readings of the stroke under way
    QString m_liveText;
    inspect::ItemResult m_liveItem;
    std::vector<report::PlacedLabel> m_labels;
    // Steady view: where labels stand from trial to trial, as long as the view itself is the same.
    std::vector<report::PlacedLabel> m_stood;
    std::vector<double> m_stoodFor;
    report::PlacedLabel m_label; // being moved
    std::string m_snappedTo;     // name of what a handle jumped to
    bool m_onlyFailed = false, m_uncertainty = false, m_steady = false, m_difference = false;
    int m_quarters = 0;
    QPointF m_anchor;                   // steady view: where the part's origin stands, widget px
    std::string m_drafted, m_justTaken; // a draft's step; the one whose handles sleep
    bool m_wakes = false;
    bool m_measuring = false;
    std::string m_measureFrom, m_measureTo; // steps whose features were pointed at
    QString m_pointerText;                  // a refusal, said where the hand is
    QPointF m_pointerTextAt;
    QTimer m_pointerTimer;
    void moveLabel();
};

} // namespace desktop
