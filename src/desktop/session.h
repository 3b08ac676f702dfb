// session.h - the recipe being worked on, with its undo, its trials' results, what is chosen and the draft.
//
// The recipe is a value: every change goes through change(), which keeps the old one for undo. Verdicts follow at once;
// step results follow from worker threads, the picture in view first.
#pragma once
#include "desktop/document.h"
#include "desktop/trial_set.h"
#include "report/height_picture.h"

#include <QObject>
#include <QTimer>
#include <functional>
#include <optional>
#include <set>

namespace desktop
{

// A step not yet taken into the recipe.
struct Draft {
    std::vector<recipe::Offer> offers; // regions in reference coordinates
    std::vector<QString> values;       // what each says on the picture in view; null: not known yet
    int chosen = 0;
    const recipe::Offer& offer() const { return offers[std::size_t(chosen)]; }
};

class Session : public QObject
{
    Q_OBJECT
public:
    explicit Session(QObject* parent = nullptr);

    // ---- the recipe
    const recipe::Recipe& recipe() const { return m_document.recipe(); }
    std::shared_ptr<const inspect::Prepared> prepared() const { return m_prepared; }
    const QString& path() const { return m_document.path(); }
    bool modified() const { return m_document.modified(); }
    // Of what is being edited, when it is released by somebody; no step of undo.
    void setRevision(int revision, const QString& by);
    void newRecipe();
    base::Status open(const QString& path);
    base::Status saveTo(const QString& path, const QString& why = {});
    base::Status restored(const QString& original);
    void forgetRecovery() { m_document.forgetRecovery(); }
    // One change, one undo. Changes with the same non-empty `merge` in a row are one.
    void change(const QString& what, const std::function<void(recipe::Recipe&)>& edit, const QString& merge = {});
    // Shown in grid and sheet as if it were done, until it is taken back or something is changed.
    void tryOut(const std::function<void(recipe::Recipe&)>& edit);
    void takeBack();
    void endMerge()
    {
        m_document.endMerge();
        m_trials.resume();
    }
    bool canUndo() const { return m_document.canUndo(); }
    bool canRedo() const { return m_document.canRedo(); }
    QString undoText() const { return m_document.undoText(); }
    QString redoText() const { return m_document.redoText(); }
    void undo();
    void redo();
    void addTrials(const QStringList& pictures);
    // Pictures that are no parts: no trials, and not added again with their folder.
    void setAside(const std::vector<std::string>& pictures);
    void bringBack(); // all that were set aside, as trials
    // Another variant of the part in work; says why not. `make` gives the recipe as it is then.
    void toVariant(const QString& what, const std::function<base::Result<recipe::Recipe>(const recipe::Recipe&)>& make);
    void takeRevision(const recipe::Revision& revision); // what it was then; trials and history stay
    base::Status takeReference();                        // the picture in view
    // the picture in view becomes the one without a part
    base::Status takeEmpty();
    void putDrawing(const recipe::Asset& asset, const recipe::DrawingSettings& settings);
    void dropDrawing();
    base::Status addEverythingDrawn(); // checks of all that is drawn
    // of the chosen step, as found in the picture in view
    // How the pictures of a capture are called and what they hold. The reference is read anew; where its files do not fit
    // the names any more this fails and nothing changes. A scale that knows a pixel's side calibrates what is not calibrated.
    base::Status setPictures(const image::Naming& naming);
    void placesFromObjects();
    // ---- what comparisons learn from
    // The picture in view as a good one; said afterwards is which bad trials pass since.
    base::Status addSample();
    // As bare ground at the chosen place of the chosen step.
    base::Status addBareGround();
    void dropSamples(const std::set<int>& which);
    // Places of the chosen step: one more like the last one, a set out of a file or into one (JSON).
    void addPlace();
    base::Status savePlaces(const QString& path) const;
    base::Status loadPlaces(const QString& path);
    void setCheck(const std::string& step, const recipe::Check& check); // the one of the same output
    // Another calibration; limits keep their unit or are converted.
    // With the pictures of a target that were among the trials: they are set aside.
    void recalibrate(const geometry::Calibration& calibration, bool convertLimits,
                     const std::vector<std::string>& targets = {});
    void convertLimits(); // every limit in another unit than its value
    const std::shared_ptr<inspect::CaptureCache>& captures() const { return m_trials.cache(); }
    // The results of all trials, null where there is none yet.
    std::vector<const inspect::PictureResult*> results() const;
    void setLimits(const std::string& step, const std::string& output, const recipe::Limits& limits, bool dragging);

    // ---- trials and results
    int trialCount() const { return int(recipe().trials.size()); }
    int trial() const { return m_trial; }
    void lookForChangedPictures(); // trials whose files were written since they were inspected are inspected anew
    void setTrial(int index);
    int item() const { return m_item; }
    void setItem(int item);
    bool showsReference() const { return m_showReference; }
    void setShowReference(bool on);
    // Of the capture in view: the one that was asked for, else the one the chosen step reads, else the first.
    const image::Picture& shownPicture() const;
    void viewPicture(const std::string& key); // until a step that reads another one is chosen
    void viewNextPicture();
    // Heights at both ends of the colours; nothing: it shows no heights, or not one point.
    std::optional<report::HeightRange> heightRange() const;
    void setHeightRange(const std::optional<report::HeightRange>& range); // nothing: the usual one
    bool viewIsReference() const; // the picture in view is the reference, pixel for pixel
    // Of the picture in view; null when there is none or it cannot be read (then pictureError() says why).
    inspect::CapturePtr capture() const { return m_capture; }
    QString pictureName() const;
    QString pictureError() const { return m_pictureError; }
    bool loading() const { return m_loading; } // the picture to be in view is still being read
    bool settled() const
    {
        return pending() == 0 && !m_loading && !m_preparing && !m_referenceAsked;
    }                                              // all is answered
    bool preparing() const { return m_preparing; } // something is being taught; prepared() is of an earlier recipe
    // Answered by this recipe; null while a trial waits for its answer.
    const inspect::PictureResult* result(int trial) const;
    void awaitView();           // until what is shown is answered by this recipe; for acts that rest on it
    bool viewIsPending() const; // what the sheet shows is an earlier recipe's answer
    const inspect::PictureResult* currentResult() const;
    const inspect::ItemResult* currentItem() const;
    int pending() const; // trials not answered yet under this recipe
    enum class Agreement { None, Agrees, Disagrees };
    Agreement agreement(int trial) const;

    // ---- what is chosen
    const std::string& selected() const { return m_selected; }
    // A step, one of its checks ("": the one chosen last, else its first) and an element of a list (-1: none).
    void select(const std::string& step, const std::string& output = {}, int element = -1);
    const recipe::Step* selectedStep() const;
    const recipe::Place* selectedPlace() const; // of the chosen step, the one of the chosen element; null: none
    const recipe::Check* selectedCheck() const; // null: the step has none
    int selectedElement() const { return m_selectedElement; }

    // Something a person asks about: marked on the sheet until something else is chosen.
    struct Pointed {
        geometry::Point at;                       // picture px
        double radius = 4, across = 4, angle = 0; // px, radians: an ellipse
        bool kept = true;
    };
    const std::optional<Pointed>& pointed() const { return m_pointed; }
    void point(const std::optional<Pointed>& at);
    // Regions that would be, reference px: drawn on the sheet while a person chooses.
    struct Ghosts {
        std::string datum;
        std::vector<geometry::Region> regions;
    };
    const Ghosts& ghosts() const { return m_ghosts; }
    void ghost(std::string datum, std::vector<geometry::Region> regions)
    {
        m_ghosts = {std::move(datum), std::move(regions)};
        emit pointedChanged();
    }

    // ---- draft
    const Draft* draft() const { return m_draft ? &*m_draft : nullptr; }
    // Readings of a gesture on the picture in view; regions come back in reference coordinates. `onlyKind` limits the
    // kinds.
    std::vector<recipe::Offer> offersFor(const recipe::Gesture& gesture, const std::string& onlyKind = {}) const;
    void setDraft(std::vector<recipe::Offer> offers);
    void chooseOffer(int index);
    void editDraft(const std::function<void(recipe::Step&)>& edit);
    void dropDraft();
    void takeDraft();
    // A name clicked while the draft is a formula goes into it; false: it is none.
    bool nameIntoFormula(const std::string& step, const std::string& output);
    // Limits proposed for a check from the labelled trials, in words too; nothing when there are no values.
    struct Proposal {
        std::string step, output;
        recipe::Limits limits;
        QString words;
        bool labelled = true; // rests on labelled trials
    };
    std::optional<Proposal> propose(const std::string& step, const std::string& output) const;
    const std::optional<Proposal>& proposal() const { return m_proposal; }
    // Enter takes none that rests on unlabelled trials; the button, which says so, does.
    void takeProposal(bool byEnter = false);
    void dropProposal();
    // Value text an offer would give on the picture in view.
    QString probe(const recipe::Offer& offer, inspect::ItemResult* item = nullptr,
                  std::optional<recipe::Evidence>* evidence = nullptr) const;
    // The innermost datum found under this place of the picture in view, else the first one found; empty: fixed to the
    // picture.
    std::string datumForNewSteps(std::optional<geometry::Point> at = {}) const;
    double noiseHere() const;

signals:
    void recipeChanged();
    void resultsChanged();
    void trialChanged();
    void viewChanged(); // another picture of the capture, other colours for heights
    void selectionChanged();
    void draftChanged();
    void draftRead();                                                 // one more reading of the draft has its value
    void strokeRead(const std::optional<recipe::Evidence>& evidence); // while a stroke is drawn; nothing: it ended
    void pointedChanged();
    void namedIntoFormula();
    void said(const QString& text); // a short note for the status line

private:
    base::Result<recipe::Asset> assetOf(const std::string& role, const std::string& path,
                                        const std::string& origin) const;
    void begin(recipe::Recipe recipe, const QString& path);
    void adopt(); // after the recipe or the draft changed: prepare, judge, start what must run
    void adopted(std::shared_ptr<const inspect::Prepared> prepared);
    void stepped(); // after undo or redo
    void loadPicture();
    void trialsWent();
    void readAhead();
    void inspectReference();
    const image::Picture* readBy(const recipe::Step& step) const;
    std::string viewedPicture() const; // "" when no trial is chosen
    void arrived(const std::string& picture);
    recipe::Recipe withDraft() const;
    void proposeWhenReady();

    Document m_document;
    TrialSet m_trials;
    std::shared_ptr<const inspect::Prepared> m_prepared;
    bool m_showReference = false, m_loading = false, m_preparing = false, m_referenceAsked = false;
    int m_trial = -1, m_item = 0;
    inspect::CapturePtr m_capture;
    QString m_pictureError;
    mutable double m_noise = -1;
    mutable std::pair<inspect::CapturePtr, inspect::CapturePtr> m_compared; // view and reference, when last compared
    mutable bool m_isReference = false;
    std::string m_selected, m_selectedOutput;
    std::string m_viewKey; // of the picture that was asked for
    std::optional<report::HeightRange> m_heightRange;
    struct Usual {
        std::weak_ptr<const image::Capture> owner;
        const image::Picture* of = nullptr;
        std::optional<report::HeightRange> range;
    };
    mutable Usual m_usual;
    int m_selectedElement = -1;
    std::optional<Pointed> m_pointed;
    Ghosts m_ghosts;
    std::optional<Draft> m_draft;
    std::optional<Proposal> m_proposal;
    base::Status keepSample(recipe::LearnedSample sample, const QString& what, const QString& word);
    void saySampleResult();
    std::optional<std::set<std::string>> m_rejectedBefore; // bad trials that were, when a sample was added
    std::string m_proposeFor, m_proposeOutput;             // limits are proposed once every trial has answered
    std::optional<inspect::PictureResult> m_referenceResult;
    void readNext();
    QTimer m_announce, m_readings;
    LatestJob m_preparer, m_viewer, m_ahead, m_reference; // last: their threads end first
};

} // namespace desktop
