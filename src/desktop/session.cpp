#include "desktop/session.h"

#include "inspect/labels.h"
#include "inspect/proposals.h"

#include "base/files.h"
#include "desktop/words.h"
#include "geometry/zones.h"
#include "image/decode.h"
#include "inspect/drawn_dimensions.h"
#include "inspect/picture_noise.h"
#include "recipe/history.h"
#include "recipe/recipe_file.h"

#include <QCoreApplication>
#include <QElapsedTimer>
#include <QFileInfo>
#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

namespace desktop
{
using namespace recipe;

Session::Session(QObject* parent) : QObject(parent)
{
    connect(this, &Session::resultsChanged, this, &Session::saySampleResult);
    m_prepared = std::make_shared<const inspect::Prepared>(*inspect::Prepared::make(Recipe{}));
    m_trials.follow(m_prepared, "", false);
    // Many answers a second are announced together.
    m_announce.setSingleShot(true);
    m_announce.setInterval(15);
    connect(&m_announce, &QTimer::timeout, this, &Session::resultsChanged);
    connect(&m_readings, &QTimer::timeout, this, &Session::readNext);
    connect(&m_trials, &TrialSet::arrived, this, &Session::arrived);
    connect(&m_document, &Document::notKept, this,
            [this](const QString& why) { emit said(tr("Not kept for recovery: %1").arg(why)); });
}

// ---------------------------------------------------------------- recipe
void Session::begin(Recipe recipe, const QString& path)
{
    m_document.begin(std::move(recipe), path);
    setProperty("calibrateEntries", QVariant()); // of another recipe
    m_trials.clear();
    m_selected.clear();
    m_draft.reset();
    m_proposal.reset();
    m_showReference = false;
    m_viewKey.clear();
    m_heightRange.reset();
    m_item = 0;
    m_trial = this->recipe().trials.empty() ? -1 : 0;
    for (const Step& s : this->recipe().steps)
        if (m_selected.empty() && !s.checks.empty() && !findKind(s.kind)->datum) m_selected = s.id;
    adopt();
    loadPicture();
    emit recipeChanged();
    emit selectionChanged();
    emit draftChanged();
}

void Session::newRecipe() { begin(Recipe{}, {}); }

base::Status Session::open(const QString& path)
{
    auto loaded = awake([file = path.toStdString()] { return recipe::load(file); });
    if (!loaded) return base::passOn(loaded.error());
    begin(std::move(*loaded), path);
    return {};
}

base::Status Session::saveTo(const QString& path, const QString& why)
{
    if (auto ok = m_document.saveTo(path, why); !ok) return ok;
    adopt();
    emit recipeChanged();
    return {};
}

void Session::setRevision(int revision, const QString& by)
{
    const bool other = revision != recipe().revision;
    if (!other && !modified()) return; // it is saved under this number
    if (other) m_document.setRevision(revision);
    m_document.keepRevision(by, tr("released"));
    if (other) adopt();
    emit recipeChanged();
}

base::Status Session::restored(const QString& original)
{
    const auto kept = m_document.restored(original);
    emit recipeChanged();
    return kept;
}

void Session::change(const QString& what, const std::function<void(Recipe&)>& edit, const QString& merge)
{
    const image::Naming before = recipe().pictures;
    if (auto ok = m_document.change(what, edit, merge); !ok) {
        emit said(QString::fromStdString(ok.error().message));
        return;
    }
    if (!m_selected.empty() && !recipe().find(m_selected)) m_selected.clear();
    adopt();
    if (recipe().pictures != before) loadPicture(); // other files are the capture now
    emit recipeChanged();
}

void Session::tryOut(const std::function<void(Recipe&)>& edit)
{
    m_document.tryOut(edit);
    adopt();
    emit recipeChanged();
}
void Session::takeBack()
{
    if (!m_document.takeBack()) return;
    adopt();
    emit recipeChanged();
}

void Session::undo()
{
    if (m_document.undo()) stepped();
}
void Session::redo()
{
    if (m_document.redo()) stepped();
}
void Session::stepped()
{
    m_proposal.reset();
    if (!recipe().find(m_selected)) m_selected.clear();
    m_trial = std::clamp(m_trial, trialCount() ? 0 : -1, trialCount() - 1);
    adopt();
    loadPicture();
    emit recipeChanged();
    emit selectionChanged();
}

void Session::addTrials(const QStringList& pictures)
{
    QStringList fresh;
    int left = 0;
    std::vector<std::string> paths;
    for (const QString& p : pictures) paths.push_back(QFileInfo(p).absoluteFilePath().toStdString());
    // Of a capture of several pictures any one of its files stands for all.
    for (const std::string& path : image::captures(recipe().pictures, paths)) {
        const bool known = std::any_of(recipe().trials.begin(), recipe().trials.end(),
                                       [&](const Trial& t) { return t.picture == path; });
        const bool aside =
            std::find(recipe().setAside.begin(), recipe().setAside.end(), path) != recipe().setAside.end();
        left += aside;
        if (!known && !aside) fresh << QString::fromStdString(path);
    }
    if (left)
        emit said(tr("%1 set aside before stay aside; Recipe settings bring them back")
                      .arg(counted(left, tr("picture"), tr("pictures"))));
    if (fresh.isEmpty()) return;
    change(tr("add %1 pictures").arg(fresh.size()), [&](Recipe& r) {
        for (const QString& p : fresh) r.trials.push_back({p.toStdString(), Label::Open});
    });
    if (m_trial < 0) setTrial(0);
}

namespace
{
void putAside(Recipe& r, const std::vector<std::string>& pictures)
{
    const std::set<std::string> gone(pictures.begin(), pictures.end());
    std::erase_if(r.trials, [&](const Trial& t) { return gone.count(t.picture) > 0; });
    for (const std::string& p : gone)
        if (std::find(r.setAside.begin(), r.setAside.end(), p) == r.setAside.end()) r.setAside.push_back(p);
}
} // namespace

void Session::setAside(const std::vector<std::string>& pictures)
{
    change(tr("set %1 aside").arg(counted(qsizetype(pictures.size()), tr("picture"), tr("pictures"))),
           [&](Recipe& r) { putAside(r, pictures); });
    trialsWent();
}

void Session::trialsWent()
{
    m_trial = std::clamp(m_trial, trialCount() ? 0 : -1, trialCount() - 1);
    loadPicture();
}

void Session::bringBack()
{
    if (recipe().setAside.empty()) return;
    change(tr("bring pictures back"), [](Recipe& r) {
        for (const std::string& p : r.setAside) r.trials.push_back({p, Label::Open});
        r.setAside.clear();
    });
    if (m_trial < 0) setTrial(0);
}

void Session::toVariant(const QString& what, const std::function<base::Result<Recipe>(const Recipe&)>& make)
{
    auto next = make(recipe());
    if (!next) return emit said(QString::fromStdString(next.error().message));
    dropDraft();
    change(what, [&](Recipe& r) { r = std::move(*next); });
    m_showReference = false;
    trialsWent();
    emit selectionChanged();
}

void Session::takeRevision(const Revision& revision)
{
    auto was = recipeOf(revision);
    if (!was) return emit said(QString::fromStdString(was.error().text()));
    change(tr("take revision %1 back").arg(revision.number), [&](Recipe& r) {
        was->trials = r.trials, was->setAside = r.setAside, was->trialsInside = r.trialsInside;
        was->history = r.history, was->revision = r.revision;
        r = *was;
    });
    loadPicture();
    emit selectionChanged();
}

base::Result<Asset> Session::assetOf(const std::string& role, const std::string& path, const std::string& origin) const
{
    auto read = image::readCapture(recipe().pictures, path);
    if (!read) return base::passOn(read.error());
    std::vector<Asset::File> files;
    for (image::FileBytes& f : *read) {
        const std::string end = "." + QFileInfo(QString::fromStdString(f.path)).suffix().toStdString();
        std::string tail = f.key.empty() ? "" : "-" + f.key;
        std::replace(tail.begin(), tail.end(), '/', '-');
        files.push_back({f.key, role + tail + end, std::move(f.bytes)});
    }
    return makeAsset(recipe().pictures, std::move(files), origin);
}

base::Status Session::takeReference()
{
    if (m_trial < 0) return base::fail(base::ErrorCode::NotFound, "there is no picture in view to take as reference");
    const std::string path = recipe().trials[std::size_t(m_trial)].picture;
    const std::string leaf = QFileInfo(QString::fromStdString(path)).fileName().toStdString();
    auto made = awake([&] { return assetOf("reference", path, leaf); });
    if (!made) return base::passOn(made.error());
    // What was drawn is carried over by the datums found on the new picture: where one is not found, everything would
    // stay behind.
    awaitView();
    const inspect::ItemResult* item = currentItem();
    if (!recipe().reference.empty())
        for (const Step& s : recipe().steps) {
            const StepKind* kind = findKind(s.kind);
            if (!kind || !kind->datum || !s.inUse || item == nullptr) continue;
            const auto* found = item->step(s.id);
            if (found && found->state == inspect::State::Ok) continue;
            return base::fail(base::ErrorCode::NotFound, leaf + " cannot be the reference: datum " + s.letter + " \"" +
                                                             s.name + "\" is not found on it (" +
                                                             (found ? found->reason : "not run") +
                                                             "), so nothing drawn would lie on the part");
        }
    // where things were; the recipe itself changes while they move
    const Recipe old = m_prepared ? m_prepared->recipe() : recipe();
    change(tr("take reference"), [&](Recipe& r) {
        // What was drawn on the part stays on the part: its places move with the datum found in the new reference.
        if (!r.reference.empty() && item)
            for (Step& s : r.steps) {
                const StepKind* kind = findKind(s.kind);
                const std::string lead = kind && kind->datum ? s.id : s.datum;
                if (lead.empty()) continue;
                const auto motion = inspect::Placing(old, item).following(lead);
                if (!motion) continue;
                for (auto& [key, region] : s.regions)
                    if (const RegionSpec* spec = kind ? kind->region(key) : nullptr;
                        spec && (spec->follows || spec->teaching))
                        region = motion->toPicture(region);
                for (auto& [key, p] : s.points) p = motion->toPicture(p);
                for (auto& region : s.leaveOut) region = motion->toPicture(region);
                for (auto& sample : s.samples) sample.at = motion->toPicture(sample.at);
                for (auto& place : s.places) {
                    place.at = motion->toPicture(place.at);
                    if (place.outline) place.outline = motion->toPicture(*place.outline);
                }
                for (auto& c : s.checks) {
                    if (c.labelAt) c.labelAt = motion->toPicture(*c.labelAt);
                    for (auto& e : c.elements)
                        if (e.at) e.at = motion->toPicture(*e.at);
                }
                if (const ParamSpec* d = kind ? kind->param(kind->roles.direction) : nullptr)
                    d->put(s.params,
                           geometry::degrees(geometry::wrapped(geometry::radians(std::get<double>(d->get(s.params))) +
                                                               motion->motion().turn())));
            }
        r.reference = *made;
    });
    emit said(tr("%1 is the reference now").arg(QString::fromStdString(leaf)));
    return {};
}

void Session::putDrawing(const Asset& asset, const recipe::DrawingSettings& settings)
{
    if (asset.fingerprint == recipe().drawing.fingerprint && settings == recipe().drawn) return;
    change(tr("take drawing"), [&](Recipe& r) {
        r.drawing = asset;
        r.drawn = settings;
    });
    emit said(tr("%1 is the drawing now; Ctrl and drag a frame round the part lays it")
                  .arg(QString::fromStdString(asset.origin)));
}
void Session::dropDrawing()
{
    change(tr("drop drawing"), [](Recipe& r) {
        r.drawing = {};
        r.drawn = {};
    });
}
base::Status Session::addEverythingDrawn()
{
    const std::string datum = inspect::drawingDatum(recipe());
    if (datum.empty())
        return base::fail(base::ErrorCode::NotFound,
                          "no datum lays the drawing yet: Ctrl and drag a frame round the part first");
    awaitView();
    const auto steps = inspect::everythingDrawn(m_prepared->recipe(), datum);
    if (steps.empty()) return base::fail(base::ErrorCode::NotFound, "the drawing has nothing to be measured");
    change(tr("everything drawn"), [&](Recipe& r) {
        for (const Step& s : steps) r.steps.push_back(s);
    });
    emit said(tr("%1 steps from the drawing; delete what is not wanted, Ctrl+Z takes all back").arg(steps.size()));
    return {};
}

base::Status Session::takeEmpty()
{
    if (m_trial < 0)
        return base::fail(base::ErrorCode::NotFound, "there is no picture in view to take as the empty picture");
    const std::string path = recipe().trials[std::size_t(m_trial)].picture;
    auto made = awake([&] { return assetOf("empty", path, ""); });
    if (!made) return base::passOn(made.error());
    change(tr("take empty picture"), [&](Recipe& r) { r.empty = *made; });
    emit said(tr("This picture is kept as the one without a part"));
    return {};
}

base::Status Session::setPictures(const image::Naming& naming)
{
    if (naming == recipe().pictures) return {};
    if (auto ok = image::check(naming); !ok) return ok;
    Recipe next = recipe();
    for (Asset Recipe::*role : {&Recipe::reference, &Recipe::empty}) {
        const Asset& old = recipe().*role;
        if (old.empty()) continue;
        std::vector<Asset::File> files = old.files;
        // One picture stays that one, whatever it is called.
        if (files.size() == 1) files.front().key = naming.size() == 1 ? naming.front().key : std::string();
        auto made = makeAsset(naming, std::move(files), old.origin);
        if (!made) return base::passOn(made.error());
        next.*role = std::move(*made);
    }
    for (LearnedSample& s : next.samples) {
        std::vector<Asset::File> files = s.picture.files;
        if (files.size() == 1) files.front().key = naming.size() == 1 ? naming.front().key : std::string();
        auto made = makeAsset(naming, std::move(files), s.picture.origin);
        if (!made) return base::passOn(made.error());
        s.picture = std::move(*made);
    }
    change(tr("pictures"), [&](Recipe& r) {
        r.pictures = naming;
        r.reference = next.reference, r.empty = next.empty;
        r.samples = next.samples;
        // Files that are one capture now are one trial; its label is that of the first of them that has one.
        std::vector<recipe::Trial> trials;
        for (const recipe::Trial& t : r.trials) {
            const auto files = image::filesOf(naming, t.picture);
            const std::string first = files && !naming.empty() ? files->first() : t.picture;
            const auto same =
                std::find_if(trials.begin(), trials.end(), [&](const auto& x) { return x.picture == first; });
            if (same == trials.end()) trials.push_back({first, t.label, t.items});
            else if (same->label == recipe::Label::Open) same->label = t.label, same->items = t.items;
        }
        r.trials = std::move(trials);
        for (const image::PictureName& n : naming)
            if (n.height && n.height->pixelMm > 0 && !r.calibrated())
                r.calibration = geometry::Calibration::factor(n.height->pixelMm, "height picture, stated");
    });
    loadPicture();
    return {};
}

void Session::placesFromObjects()
{
    awaitView();
    const Step* s = selectedStep();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    const auto* item = currentItem();
    const auto* found = item && s ? item->step(s->id) : nullptr;
    const auto motion =
        s && m_prepared ? inspect::Placing(m_prepared->recipe(), item).following(s->datum) : std::nullopt;
    // Its own objects or places, else those another step finds here.
    std::vector<geometry::Point> places;
    if (found && found->state == inspect::State::Ok) places = found->elementPlaces();
    if (kind && kind->hasPlaces && places.empty() && item)
        for (const auto& other : item->steps)
            if (other->group() && other->group()->members.size() > places.size()) places = other->elementPlaces();
    if (!kind || !kind->hasPlaces || !motion || places.empty()) {
        emit said(tr("Choose a step that finds objects or places in this picture"));
        return;
    }
    const geometry::Motion back = motion->motion().inverse();
    change(tr("places"), [&](Recipe& r) {
        Step* step = r.find(s->id);
        if (!step) return;
        // Each like the first one that was drawn.
        const std::optional<Place> like = step->places.empty() ? std::nullopt : std::optional(step->places.front());
        step->places.clear();
        for (std::size_t i = 0; i < places.size(); ++i) {
            Place one = like.value_or(Place{});
            one.name = std::to_string(i + 1), one.at = recipe().calibration.picture(back.carry(places[i]));
            if (like && like->outline) {
                const geometry::Point by = one.at - like->at;
                one.outline = like->outline->mapped([&](geometry::Point q) { return q + by; });
            }
            step->places.push_back(std::move(one));
        }
        // Each can be moved by itself from now on.
        if (const ParamSpec* layout = kind->param("layout")) layout->put(step->params, std::string("free"));
    });
    emit said(tr("%1 named").arg(counted(qsizetype(places.size()), tr("place"), tr("places"))));
}

const Place* Session::selectedPlace() const
{
    const Step* s = selectedStep();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (!kind || !kind->hasPlaces || s->places.empty()) return nullptr;
    // By its name: lists stand in the order of the places.
    if (m_selectedElement >= 0 && std::size_t(m_selectedElement) < s->places.size())
        return &s->places[std::size_t(m_selectedElement)];
    return s->places.size() == 1 ? &s->places.front() : nullptr;
}

base::Status Session::keepSample(LearnedSample sample, const QString& what, const QString& word)
{
    if (m_trial < 0) return base::fail(base::ErrorCode::NotFound, "there is no trial in view to learn from");
    if (recipe().samples.size() >= kMostSamples)
        return base::fail(base::ErrorCode::OutOfRange,
                          "there are " + std::to_string(kMostSamples) + " samples already; more are not kept");
    const std::string path = recipe().trials[std::size_t(m_trial)].picture;
    const std::string leaf = QFileInfo(QString::fromStdString(path)).fileName().toStdString();
    auto made = awake([&] { return assetOf("sample", path, leaf); });
    if (!made) return base::passOn(made.error());
    for (const LearnedSample& s : recipe().samples)
        if (s.picture.fingerprint == made->fingerprint && s.bare == sample.bare)
            return base::fail(base::ErrorCode::InvalidArgument, leaf + " is learned from already");
    sample.picture = std::move(*made);
    std::set<std::string> rejected;
    const auto all = results();
    for (std::size_t t = 0; t < all.size(); ++t)
        if (recipe().trials[t].label == Label::Bad && all[t] && all[t]->rejected())
            rejected.insert(recipe().trials[t].picture);
    change(what, [&](Recipe& r) { r.samples.push_back(sample); });
    m_rejectedBefore = std::move(rejected);
    emit said(word);
    return {};
}

base::Status Session::addSample()
{
    return keepSample({}, tr("good sample"), tr("Learned from as a good part; it is kept in the recipe"));
}

base::Status Session::addBareGround()
{
    const Step* s = selectedStep();
    const Place* place = selectedPlace();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (!kind || !kind->bySamples || !place)
        return base::fail(base::ErrorCode::NotFound,
                          "choose the place whose component is missing here: a row below its step");
    LearnedSample sample;
    sample.bare.push_back({s->id, place->name});
    return keepSample(
        std::move(sample), tr("bare ground"),
        tr("This is what the bare ground of place %1 looks like").arg(QString::fromStdString(place->name)));
}

// Once all is answered anew: what a sample lets pass among the bad ones is said.
void Session::saySampleResult()
{
    if (!m_rejectedBefore || !settled()) return;
    const std::set<std::string> before = std::move(*m_rejectedBefore);
    m_rejectedBefore.reset();
    QStringList pass;
    const auto all = results();
    for (std::size_t t = 0; t < all.size(); ++t)
        if (before.count(recipe().trials[t].picture) && all[t] && !all[t]->rejected())
            pass << QFileInfo(QString::fromStdString(recipe().trials[t].picture)).fileName();
    if (pass.isEmpty()) return;
    emit said(
        tr("With this sample %1 pass that were rejected: %2 (Ctrl+Z takes it back)")
            .arg(counted(pass.size(), tr("bad trial"), tr("bad trials")),
                 pass.mid(0, 3).join(QStringLiteral(", ")) + (pass.size() > 3 ? QStringLiteral(" …") : QString())));
}

void Session::dropSamples(const std::set<int>& which)
{
    change(tr("samples"), [&](Recipe& r) {
        for (auto it = which.rbegin(); it != which.rend(); ++it)
            if (*it >= 0 && std::size_t(*it) < r.samples.size()) r.samples.erase(r.samples.begin() + *it);
    });
}

namespace
{
std::string freshPlaceName(const Step& s)
{
    for (std::size_t n = s.places.size() + 1;; ++n) {
        const std::string name = std::to_string(n);
        if (std::none_of(s.places.begin(), s.places.end(), [&](const Place& p) { return p.name == name; })) return name;
    }
}
} // namespace

void Session::addPlace()
{
    const Step* s = selectedStep();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (!kind || !kind->hasPlaces) return;
    const auto edit = [](Step& step) {
        Place one;
        geometry::Point by{30, 0};
        if (step.places.empty()) {
            const auto it = step.regions.find("outline");
            one.at = it != step.regions.end() ? it->second.middle() : geometry::Point{40, 40};
        } else {
            one = step.places.back();
            // On along the row the last two made, else beside it.
            if (step.places.size() > 1) by = one.at - step.places[step.places.size() - 2].at;
            else if (one.outline) by = {1.2 * std::max(one.outline->width, 2 * one.outline->outer), 0};
            one.at = one.at + by;
            if (one.outline) one.outline = one.outline->mapped([&](geometry::Point p) { return p + by; });
        }
        one.name = freshPlaceName(step);
        step.places.push_back(std::move(one));
    };
    if (draft()) return editDraft(edit);
    change(tr("place"), [&, id = s->id](Recipe& r) { edit(*r.find(id)); });
    select(s->id, m_selectedOutput, int(selectedStep()->places.size()) - 1);
}

base::Status Session::savePlaces(const QString& path) const
{
    const Step* s = selectedStep();
    if (!s || s->places.empty()) return base::fail(base::ErrorCode::NotFound, "the chosen step has no places");
    nlohmann::json j{
        {"format", "dikkat-places"}, {"version", 1}, {"kind", s->kind}, {"places", nlohmann::json::array()}};
    for (const Place& p : s->places) j["places"].push_back(placeToJson(p));
    return base::writeAtomic(base::realFiles(), path.toStdString(), j.dump(2) + "\n");
}

base::Status Session::loadPlaces(const QString& path)
{
    const Step* s = selectedStep();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (!kind || !kind->hasPlaces) return base::fail(base::ErrorCode::NotFound, "choose a step that has places");
    const std::string where = path.toStdString();
    const auto text = base::readFile(where);
    if (!text) return base::passOn(text.error());
    const auto j = parseJson(*text);
    if (!j) return base::passOn(j.error(), where);
    if (!j->is_object() || j->value("format", std::string()) != "dikkat-places" || !j->contains("places") ||
        !(*j)["places"].is_array())
        return base::fail(base::ErrorCode::InvalidArgument, "is no set of places: format must be \"dikkat-places\"",
                          where);
    std::vector<Place> places;
    for (std::size_t i = 0; i < (*j)["places"].size(); ++i) {
        auto one = placeFromJson((*j)["places"][i], where + ": places[" + std::to_string(i) + "]");
        if (!one) return base::passOn(one.error());
        places.push_back(std::move(*one));
    }
    change(tr("places"), [&, id = s->id](Recipe& r) { r.find(id)->places = places; });
    emit said(tr("%1 read").arg(counted(qsizetype(places.size()), tr("place"), tr("places"))));
    return {};
}

void Session::setCheck(const std::string& step, const Check& check)
{
    change(tr("limits"), [&](Recipe& r) {
        if (Step* s = r.find(step))
            for (Check& c : s->checks)
                if (c.output == check.output) c = check;
    });
}

void Session::recalibrate(const geometry::Calibration& calibration, bool convert,
                          const std::vector<std::string>& targets)
{
    change(tr("calibrate"), [&](Recipe& r) {
        r = recalibrated(r, calibration, convert);
        putAside(r, targets);
    });
    if (!targets.empty()) trialsWent();
    const double k = recipe().mmPerPixel();
    emit said(k > 0 ? tr("Calibrated: one pixel is %1 mm").arg(k, 0, 'g', 7) : tr("Not calibrated: values are in px"));
}

void Session::convertLimits()
{
    const auto foreign = foreignLimits(recipe());
    if (foreign.empty()) return emit said(tr("Every limit is in its value's unit"));
    change(tr("convert limits"), [&](Recipe& r) {
        for (Step& s : r.steps)
            for (Check& c : s.checks) c = convertedCheck(r, s, c);
    });
    const auto left = foreignLimits(recipe()).size();
    emit said(left ? tr("%1 of %2 limits cannot be converted: calibrate first").arg(left).arg(foreign.size())
                   : tr("Limits converted: %1").arg(foreign.size()));
}

std::vector<const inspect::PictureResult*> Session::results() const
{
    std::vector<const inspect::PictureResult*> out;
    for (int t = 0; t < trialCount(); ++t) out.push_back(result(t));
    return out;
}

void Session::setLimits(const std::string& step, const std::string& output, const Limits& limits, bool dragging)
{
    change(
        tr("limits"),
        [&](Recipe& r) {
            Step* s = r.find(step);
            if (!s) return;
            for (Check& c : s->checks)
                if (c.output == output) c.limits = limits;
        },
        dragging ? QStringLiteral("limits:") + QString::fromStdString(step + "." + output) : QString());
}

Recipe Session::withDraft() const
{
    Recipe r = recipe();
    if (!m_draft) return r;
    for (const Step& s : m_draft->offer().before) r.steps.push_back(s);
    r.steps.push_back(m_draft->offer().step);
    return r;
}

void Session::adopt()
{
    auto made = inspect::Prepared::begin(withDraft(), m_prepared.get());
    if (!made) {
        emit said(QString::fromStdString(made.error().message));
        return;
    }
    m_preparing = !made->ready();
    if (!m_preparing) {
        m_preparer.drop();
        return adopted(std::make_shared<const inspect::Prepared>(std::move(*made)));
    }
    // Teaching takes its time, off this thread; until then everything waits for its answer.
    m_trials.wait(recipe().trials);
    m_preparer.ask([this, begun = std::make_shared<inspect::Prepared>(std::move(*made))] {
        begun->finish();
        return [this, begun] {
            m_preparing = false;
            adopted(begun);
            emit resultsChanged();
        };
    });
}

void Session::adopted(std::shared_ptr<const inspect::Prepared> prepared)
{
    m_prepared = std::move(prepared);
    // While something is dragged only the picture in view answers; the others follow when the hand rests.
    m_trials.follow(m_prepared, viewedPicture(), m_document.merging());
    // A proposal rests on what was answered and labelled then.
    if (m_proposal) {
        m_proposeFor = m_proposal->step;
        m_proposeOutput = m_proposal->output;
        m_proposal.reset();
    }
    if (m_showReference) inspectReference();
    if (!m_proposeFor.empty() && m_trials.answered()) proposeWhenReady();
}

std::string Session::viewedPicture() const
{
    return m_trial >= 0 && m_trial < trialCount() ? recipe().trials[std::size_t(m_trial)].picture : std::string();
}

void Session::arrived(const std::string& picture)
{
    proposeWhenReady();
    if (picture == viewedPicture()) {
        m_announce.stop();
        emit resultsChanged();
    } else if (!m_announce.isActive()) {
        m_announce.start();
    }
}

// ---------------------------------------------------------------- trials
void Session::lookForChangedPictures()
{
    QStringList changed;
    bool inView = false;
    for (const std::string& picture : m_trials.writtenSince()) {
        changed << QFileInfo(QString::fromStdString(picture)).fileName();
        inView = inView || picture == viewedPicture();
    }
    if (changed.isEmpty()) return;
    adopt();
    if (inView && !m_showReference) loadPicture();
    emit resultsChanged();
    emit said(changed.size() == 1 ? tr("%1 was written anew and is inspected again").arg(changed.front())
                                  : tr("%1 pictures were written anew and are inspected again").arg(changed.size()));
}

void Session::setTrial(int index)
{
    index = std::clamp(index, trialCount() ? 0 : -1, trialCount() - 1);
    if (index == m_trial && m_capture && !m_showReference) return;
    point({}); // asked about the picture before
    m_trial = index;
    m_item = 0;
    m_showReference = false;
    loadPicture();
}

void Session::setItem(int item)
{
    const auto* r = currentResult();
    const int n = r ? int(r->items.size()) : 0;
    m_item = n ? (item % n + n) % n : 0;
    emit trialChanged();
}

void Session::setShowReference(bool on)
{
    if (on && recipe().reference.empty()) {
        emit said(tr("There is no reference yet; show a good part and take it as reference"));
        return;
    }
    m_showReference = on;
    m_referenceResult.reset();
    if (on && !m_preparing) inspectReference();
    loadPicture();
}

// The reference answers like a trial, off this thread; what it answered before stays in view until then.
void Session::inspectReference()
{
    if (recipe().reference.empty()) return;
    m_referenceAsked = true;
    m_reference.ask([this, prepared = m_prepared, capture = recipe().reference.capture] {
        auto result =
            std::make_shared<inspect::PictureResult>(inspect::evaluate(*prepared, *capture, nullptr, nullptr, 0));
        return [this, result] {
            m_referenceAsked = false;
            if (!m_showReference) return;
            m_referenceResult = std::move(*result);
            emit resultsChanged();
        };
    });
}

void Session::loadPicture()
{
    m_capture.reset();
    m_pictureError.clear();
    m_noise = -1;
    m_loading = false;
    m_viewer.drop();
    if (m_showReference) {
        m_capture = recipe().reference.capture;
    } else if (m_trial >= 0 && m_trial < trialCount()) {
        const std::string& picture = recipe().trials[std::size_t(m_trial)].picture;
        m_capture = m_trials.cache()->peek(picture, recipe().pictures);
        m_loading = !m_capture;
        if (m_loading)
            m_viewer.ask([this, cache = m_trials.cache(), picture, naming = recipe().pictures] {
                const auto got = cache->get(picture, naming);
                return [this, got] {
                    m_loading = false;
                    if (got) m_capture = *got;
                    else m_pictureError = QString::fromStdString(got.error().text());
                    emit trialChanged();
                    readAhead();
                };
            });
        else readAhead();
    }
    emit trialChanged();
}

// The neighbours of the picture in view, so that a step to them needs no wait.
void Session::readAhead()
{
    std::vector<std::string> next;
    for (const int t : {m_trial + 1, m_trial - 1})
        if (t >= 0 && t < trialCount()) next.push_back(recipe().trials[std::size_t(t)].picture);
    m_ahead.ask([cache = m_trials.cache(), next, naming = recipe().pictures]() -> LatestJob::Answer {
        for (const std::string& picture : next) (void)cache->get(picture, naming);
        return {};
    });
}

bool Session::viewIsReference() const
{
    if (recipe().reference.empty() || !m_capture) return false;
    if (m_capture == recipe().reference.capture) return true;
    // Asked at every movement of the hand: compared once.
    if (m_compared == std::pair{m_capture, recipe().reference.capture}) return m_isReference;
    m_compared = {m_capture, recipe().reference.capture};
    const auto here = m_capture->pictures(), there = recipe().reference.capture->pictures();
    return m_isReference =
               std::equal(here.begin(), here.end(), there.begin(), there.end(), [](const auto& x, const auto& y) {
                   const image::Image &a = x.pixels, &b = y.pixels;
                   return a.width() == b.width() && a.height() == b.height() && a.format() == b.format() &&
                          std::equal(a.row(0), a.row(0) + a.byteCount(), b.row(0));
               });
}

const image::Picture& Session::shownPicture() const
{
    if (!m_capture) return image::Capture::none();
    if (!m_viewKey.empty())
        if (const image::Picture* asked = m_capture->find(m_viewKey)) return *asked;
    const Step* s = selectedStep();
    const image::Picture* read = s ? readBy(*s) : nullptr;
    return read ? *read : m_capture->first();
}

// The first picture of the view's capture that a step reads; null: it reads none.
const image::Picture* Session::readBy(const Step& step) const
{
    const StepKind* kind = findKind(step.kind);
    if (!kind || kind->pictures.empty()) return nullptr;
    const PictureSpec& spec = kind->pictures.front();
    const auto it = step.pictures.find(spec.key);
    if (it != step.pictures.end())
        if (const image::Picture* said = m_capture->find(it->second)) return said;
    for (const image::Picture& p : m_capture->pictures())
        if (spec.height == (p.content == image::Content::Height)) return &p;
    return nullptr;
}

void Session::viewPicture(const std::string& key)
{
    if (m_viewKey == key) return;
    m_viewKey = key;
    emit viewChanged();
}

void Session::viewNextPicture()
{
    if (!m_capture || m_capture->pictures().size() < 2) return;
    const auto all = m_capture->pictures();
    std::size_t at = 0;
    for (std::size_t i = 0; i < all.size(); ++i)
        if (all[i].key == shownPicture().key) at = i;
    viewPicture(all[(at + 1) % all.size()].key);
}

std::optional<report::HeightRange> Session::heightRange() const
{
    const image::Picture& shown = shownPicture();
    if (shown.content != image::Content::Height) return std::nullopt;
    if (m_heightRange) return m_heightRange;
    // The reference's, so that colours mean the same from trial to trial.
    auto owner = recipe().reference.capture;
    const image::Picture* of = owner ? owner->find(shown.key) : nullptr;
    if (!of || of->content != image::Content::Height) owner = m_capture, of = &shown;
    // Another picture may lie where one was that is gone.
    if (m_usual.of != of || m_usual.owner.lock() != owner) m_usual = {owner, of, report::usualRange(*of)};
    return m_usual.range;
}

void Session::setHeightRange(const std::optional<report::HeightRange>& range)
{
    if (m_heightRange == range) return;
    m_heightRange = range;
    emit viewChanged();
}

QString Session::pictureName() const
{
    if (m_showReference) return tr("reference (%1)").arg(QString::fromStdString(recipe().reference.origin));
    if (m_trial < 0 || m_trial >= trialCount()) return {};
    return QFileInfo(QString::fromStdString(recipe().trials[std::size_t(m_trial)].picture)).fileName() +
           tr(" · trial %1").arg(m_trial + 1);
}

const inspect::PictureResult* Session::result(int trial) const
{
    if (trial < 0 || trial >= trialCount()) return nullptr;
    return m_trials.result(recipe().trials[std::size_t(trial)].picture);
}
bool Session::viewIsPending() const
{
    return m_showReference ? m_referenceAsked || m_preparing : currentResult() && !result(m_trial);
}
void Session::awaitView()
{
    // The view's own picture is answered first; what cannot be answered is not waited for for ever.
    QElapsedTimer since;
    since.start();
    const auto unanswered = [this] {
        return m_showReference ? m_referenceAsked : m_trial >= 0 && m_trial < trialCount() && !result(m_trial);
    };
    while ((m_loading || m_preparing || unanswered()) && since.elapsed() < 20000)
        QCoreApplication::processEvents(QEventLoop::ExcludeUserInputEvents | QEventLoop::WaitForMoreEvents, 20);
}
const inspect::PictureResult* Session::currentResult() const
{
    if (m_showReference) return m_referenceResult ? &*m_referenceResult : nullptr;
    if (m_trial < 0 || m_trial >= trialCount()) return nullptr;
    // What was answered last stays in view until the answer of this recipe comes.
    return m_trials.earlier(viewedPicture());
}
const inspect::ItemResult* Session::currentItem() const
{
    const auto* r = currentResult();
    return r && !r->items.empty() ? &r->items[std::size_t(std::clamp(m_item, 0, int(r->items.size()) - 1))] : nullptr;
}

int Session::pending() const
{
    int n = 0;
    for (int i = 0; i < trialCount(); ++i) n += result(i) == nullptr;
    return n;
}

Session::Agreement Session::agreement(int trial) const
{
    const auto* r = result(trial);
    const Trial& t = recipe().trials[std::size_t(trial)];
    if (!r || (r->items.empty() && !r->error)) return Agreement::None;
    if (inspect::disagrees(recipe(), t, *r)) return Agreement::Disagrees;
    const auto labels = inspect::labelsOf(recipe(), t, *r);
    for (std::size_t i = 0; i < labels.size(); ++i)
        if (labels[i] != Label::Open && r->items[i].outcome != inspect::Outcome::Unjudged) return Agreement::Agrees;
    return r->error && t.label == Label::Bad ? Agreement::Agrees : Agreement::None;
}

void Session::select(const std::string& step, const std::string& output, int element)
{
    if (step == m_selected && (output.empty() || output == m_selectedOutput) && element == m_selectedElement) return;
    if (step != m_selected || (!output.empty() && output != m_selectedOutput)) m_proposal.reset();
    if (step != m_selected || !output.empty()) m_selectedOutput = output;
    m_selected = step, m_selectedElement = element;
    if (const Step* s = selectedStep(); s && m_capture && !m_viewKey.empty())
        if (const image::Picture* read = readBy(*s); read && read->key != m_viewKey) m_viewKey.clear();
    emit selectionChanged();
}
const Check* Session::selectedCheck() const
{
    const Step* s = selectedStep();
    if (!s || s->checks.empty()) return nullptr;
    for (const Check& c : s->checks)
        if (c.output == m_selectedOutput) return &c;
    return &s->checks.front();
}
void Session::point(const std::optional<Pointed>& at)
{
    if (!at && !m_pointed) return;
    m_pointed = at;
    emit pointedChanged();
}

const Step* Session::selectedStep() const
{
    if (m_draft) return &m_draft->offer().step;
    return recipe().find(m_selected);
}

// ---------------------------------------------------------------- draft
double Session::noiseHere() const
{
    if (m_noise < 0 && m_capture) m_noise = inspect::pictureNoise(*m_capture);
    return std::max(0.5, m_noise);
}

std::string Session::datumForNewSteps(std::optional<geometry::Point> at) const
{
    const auto* item = currentItem();
    std::string first, innermost;
    double least = 1e300;
    for (const Step& s : recipe().steps) {
        const StepKind* k = findKind(s.kind);
        if (!k || !k->datum || !s.inUse) continue;
        const auto* r = item ? item->step(s.id) : nullptr;
        if (!r || r->state != inspect::State::Ok) continue;
        if (first.empty()) first = s.id;
        if (!at || k->regions.empty() || !m_prepared) continue;
        // The taught part as it lies here.
        const auto part = s.regions.find(k->regions.front().key);
        const auto motion = inspect::Placing(m_prepared->recipe(), item).following(s.id);
        if (part == s.regions.end() || !motion) continue;
        const auto outlines = motion->toPicture(part->second).outlines();
        if (outlines.empty() || !geometry::Region::polygon(outlines.front()).contains(*at)) continue;
        const double area = geometry::areaOf(outlines.front());
        if (area < least) least = area, innermost = s.id;
    }
    return innermost.empty() ? first : innermost;
}

namespace
{
// What an offer says, as a step of the recipe: fresh id, names, checks and balloons, regions on the reference.
Step asStep(const Step& offered, const std::vector<std::string>& judged, const StepKind& kind, const Recipe& recipe,
            const std::string& datum, const std::optional<inspect::Placed>& placed)
{
    Step s = makeStep(recipe, kind);
    if (!offered.name.empty()) s.name = recipe.freshName(offered.name);
    s.params = offered.params;
    s.pictures = offered.pictures;
    s.places = offered.places;
    s.inputs = offered.inputs;
    s.filters = offered.filters;
    if (!offered.checks.empty()) s.checks = offered.checks;
    for (const std::string& key : judged)
        if (const OutputSpec* spec = kind.output(key)) {
            Check c;
            c.output = key;
            c.limits.unit = recipe.unitOf(s, *spec);
            c.limits.low = spec->usualLow, c.limits.high = spec->usualHigh;
            if (judged.front() == key) s.checks.clear();
            s.checks.push_back(c);
        }
    int balloon = recipe.freshBalloon();
    for (Check& c : s.checks) {
        c.name = s.name;
        if (!kind.datum && c.balloon == 0) c.balloon = balloon++;
        if (const OutputSpec* spec = kind.output(c.output); spec && !c.limits.any())
            c.limits.unit = recipe.unitOf(s, *spec);
    }
    if (!datum.empty()) s.datum = datum;
    const bool carried = !datum.empty() && placed;
    for (const auto& [key, r] : offered.regions) s.regions[key] = carried ? placed->toReference(r) : r;
    for (const auto& [key, p] : offered.points) s.points[key] = carried ? placed->toReference(p) : p;
    if (carried)
        for (Place& p : s.places) {
            p.at = placed->toReference(p.at);
            if (p.outline) p.outline = placed->toReference(*p.outline);
        }
    return s;
}
} // namespace

std::vector<Offer> Session::offersFor(const Gesture& gesture, const std::string& onlyKind) const
{
    std::vector<Offer> out;
    if (!m_capture) return out;
    const std::string datum = datumForNewSteps(gesture.from);
    const auto* item = currentItem();
    std::map<std::string, Feature> features;
    if (item)
        for (const auto& r : item->steps)
            if (r->state == inspect::State::Ok && !r->features.empty())
                features.emplace(r->step, r->features.begin()->second);
    const auto placed = datum.empty() ? std::optional<inspect::Placed>()
                                      : inspect::Placing(m_prepared->recipe(), item).following(datum);
    OfferInput in{*m_capture,
                  noiseHere(),
                  placed.has_value(),
                  placed ? placed->motion().now.angle : 0,
                  features,
                  recipe().calibrated() ? &recipe().calibration : nullptr,
                  placed ? placed->motion().now : geometry::Pose{},
                  &shownPicture()};
    in.drawing = recipe().drawing.outline.get();
    if (const Step* on = recipe().find(datum); on && placed)
        in.onDrawing = findKind(on->kind) && findKind(on->kind)->byDrawing;
    const bool heights = in.seen().content == image::Content::Height;
    const bool onReference = viewIsReference();
    // The capture's first picture of its content is the one a step looks at when it does not say.
    const auto readsByItself = [&](const image::Picture& p) {
        for (const image::Picture& other : m_capture->pictures())
            if ((other.content == image::Content::Height) == (p.content == image::Content::Height))
                return other.key == p.key;
        return true;
    };
    for (const StepKind& kind : allStepKinds()) {
        if (!kind.offer || (!onlyKind.empty() && kind.key != onlyKind)) continue;
        // a datum is taught on the reference and nowhere else
        if (kind.datum && !onReference && kind.taughtOnReference()) continue;
        // Of light where light is in view, of heights where heights are.
        if (!kind.pictures.empty() && kind.pictures.front().height != heights) continue;
        for (Offer& o : kind.offer(gesture, in)) {
            // What is made with it comes first, with ids of its own.
            Recipe grown = recipe();
            const bool follows = !datum.empty() && !kind.datum;
            for (Step& made : o.before) {
                made = asStep(made, {}, *findKind(made.kind), grown, follows ? datum : std::string(), placed);
                made.checks.clear();
                grown.steps.push_back(made);
            }
            const auto made = [&](const std::string& id) {
                return !id.empty() && id.front() == '+' ? o.before.at(std::size_t(std::stoi(id.substr(1)))).id : id;
            };
            for (auto& [key, id] : o.step.inputs) id = made(id);
            if (!kind.pictures.empty() && !in.seen().key.empty() && !readsByItself(in.seen()))
                o.step.pictures[kind.pictures.front().key] = in.seen().key;
            o.step = asStep(o.step, o.judged, kind, grown, follows ? datum : std::string(), placed);
            // What the drawing says has the recipe's general tolerance when it has one.
            for (Check& c : o.step.checks)
                if (const General table = c.limits.general; table != General::None) {
                    c.limits.general = General::None;
                    inspect::withGeneralTolerance(recipe(), c, table);
                }
            out.push_back(std::move(o));
        }
    }
    std::stable_sort(out.begin(), out.end(), [](const Offer& a, const Offer& b) { return a.rank < b.rank; });
    if (out.size() > 5) out.resize(5);
    return out;
}

QString Session::probe(const Offer& offer, inspect::ItemResult* itemOut, std::optional<Evidence>* evidenceOut) const
{
    if (!m_capture) return {};
    const Step& step = offer.step;
    Recipe r = recipe();
    for (const Step& s : offer.before) r.steps.push_back(s);
    r.steps.push_back(step);
    auto prepared = inspect::Prepared::make(std::move(r), m_prepared.get());
    if (!prepared) return {};
    const inspect::PictureResult answer = inspect::evaluate(*prepared, *m_capture, currentResult());
    if (answer.items.empty()) return {};
    const auto& item = answer.items[std::size_t(std::clamp(m_item, 0, int(answer.items.size()) - 1))];
    if (itemOut) *itemOut = item;
    if (evidenceOut)
        if (auto e = inspect::evidence(*prepared, *m_capture, item, step.id)) *evidenceOut = std::move(*e);
    for (const auto& c : item.checks)
        if (c.step == step.id) return QString::fromStdString(c.values.empty() ? c.reason : c.valueText());
    const auto* s = item.step(step.id);
    return s && s->state == inspect::State::Ok ? QString() : QString::fromStdString(s ? s->reason : "");
}

void Session::setDraft(std::vector<Offer> offers)
{
    m_proposal.reset();
    if (offers.empty()) return dropDraft();
    Draft d;
    d.values.resize(offers.size());
    d.values.front() = probe(offers.front());
    d.offers = std::move(offers);
    m_draft = std::move(d);
    // What the other readings say follows one by one, so that the window answers between them.
    m_readings.start(1);
    adopt();
    emit draftChanged();
    emit selectionChanged();
}

void Session::readNext()
{
    if (!m_draft) return m_readings.stop();
    for (std::size_t i = 0; i < m_draft->values.size(); ++i) {
        if (!m_draft->values[i].isNull()) continue;
        m_draft->values[i] = probe(m_draft->offers[i]);
        if (m_draft->values[i].isNull()) m_draft->values[i] = QStringLiteral("");
        emit draftRead();
        return;
    }
    m_readings.stop();
}

void Session::chooseOffer(int index)
{
    if (!m_draft) return;
    const int n = int(m_draft->offers.size());
    m_draft->chosen = (index % n + n) % n;
    if (QString& value = m_draft->values[std::size_t(m_draft->chosen)]; value.isNull()) value = probe(m_draft->offer());
    adopt();
    emit draftChanged();
    emit selectionChanged();
}

void Session::editDraft(const std::function<void(Step&)>& edit)
{
    if (!m_draft) return;
    edit(m_draft->offers[std::size_t(m_draft->chosen)].step);
    m_draft->values[std::size_t(m_draft->chosen)] = probe(m_draft->offer());
    adopt();
    emit draftChanged();
}

void Session::dropDraft()
{
    if (!m_draft) return;
    m_draft.reset();
    adopt();
    emit draftChanged();
    emit selectionChanged();
}

bool Session::nameIntoFormula(const std::string& step, const std::string& output)
{
    if (!m_draft || step == m_draft->offer().step.id) return false;
    const Step* of = recipe().find(step);
    const StepKind* kind = findKind(m_draft->offer().step.kind);
    for (const ParamSpec& p : kind->params) {
        const auto* text = std::get_if<Text>(&p.domain);
        if (!text || !text->formula || !of) continue;
        std::string now = std::get<std::string>(p.get(m_draft->offer().step.params));
        const auto last = now.find_last_not_of(' ');
        now.erase(last == std::string::npos ? 0 : last + 1);
        // After a value only an operator can stand.
        if (!now.empty() && std::string("+-*/^(,<>=!&|").find(now.back()) == std::string::npos) now += " +";
        const OutputSpec* main = findKind(of->kind)->mainOutput();
        const bool whole = output.empty() || (main && main->key == output);
        now += (now.empty() ? "[" : " [") + step + (whole ? "]" : "." + output + "]");
        editDraft([&](Step& s) { p.put(s.params, now); });
        emit selectionChanged(); // the form shows it
        emit namedIntoFormula();
        return true;
    }
    return false;
}

void Session::takeDraft()
{
    if (!m_draft) return;
    const Step step = m_draft->offer().step;
    const std::vector<Step> before = m_draft->offer().before;
    const StepKind* kind = findKind(step.kind);
    if (recipe().reference.empty() && kind && kind->datum) {
        emit said(tr("A datum is taught on the reference: take this picture as reference first"));
        return;
    }
    m_draft.reset();
    const bool firstDatum =
        kind && kind->datum && std::none_of(recipe().steps.begin(), recipe().steps.end(), [](const Step& s) {
            const StepKind* k = findKind(s.kind);
            return k && k->datum;
        });
    int taken = 0, left = 0;
    change(tr("new step %1").arg(QString::fromStdString(step.name)), [&](Recipe& r) {
        for (const Step& s : before) r.steps.push_back(s);
        r.steps.push_back(step);
        if (!kind || !kind->datum) return;
        // What the datum is made of cannot follow it.
        std::set<std::string> made{step.id};
        for (bool more = true; more;) {
            more = false;
            for (const Step& s : r.steps)
                if (made.count(s.id))
                    for (const std::string& id : Recipe::reads(s)) more = made.insert(id).second || more;
        }
        // The first datum takes along what was drawn before it: it does not move on the reference. Further ones leave
        // what is fixed as it is.
        for (Step& s : r.steps) {
            if (made.count(s.id) || !s.datum.empty() || findKind(s.kind)->datum || s.regions.empty()) continue;
            if (firstDatum) s.datum = step.id, ++taken;
            else ++left;
        }
    });
    if (taken)
        emit said(tr("%1 drawn before now following %2")
                      .arg(counted(taken, tr("step"), tr("steps")), QString::fromStdString(step.letter)));
    if (left)
        emit said(tr("%1 left fixed to the picture; \"Follows\" in the form changes that")
                      .arg(counted(left, tr("step"), tr("steps"))));
    m_selected = step.id, m_selectedOutput.clear(), m_selectedElement = -1;
    emit draftChanged();
    emit selectionChanged();
    if (step.checks.empty() || step.checks.front().limits.any()) return;
    m_proposeFor = step.id, m_proposeOutput = step.checks.front().output;
    proposeWhenReady();
}

void Session::proposeWhenReady()
{
    if (m_proposeFor.empty() || pending() > 0) return;
    const Step* s = recipe().find(m_proposeFor);
    const bool wanted = s && m_selected == m_proposeFor &&
                        std::any_of(s->checks.begin(), s->checks.end(),
                                    [&](const Check& c) { return c.output == m_proposeOutput && !c.limits.any(); });
    if (wanted) m_proposal = propose(m_proposeFor, m_proposeOutput);
    m_proposeFor.clear();
    emit selectionChanged();
}

std::optional<Session::Proposal> Session::propose(const std::string& step, const std::string& output) const
{
    const auto made = inspect::proposeFor(recipe(), results(), step, output);
    if (!made) return std::nullopt;
    // In the unit lengths are shown in, as if it had been typed.
    return Proposal{step, output, made->limits.in(base::shownAs(made->unit, recipe().shownIn)),
                    QString::fromStdString(made->words(recipe().shownIn)), made->labelled};
}

void Session::takeProposal(bool byEnter)
{
    if (!m_proposal) return;
    if (byEnter && !m_proposal->labelled)
        return emit said(
            tr("These limits rest on trials nobody labelled: label good parts (G), or take them with the button"));
    const Proposal p = *m_proposal;
    m_proposal.reset();
    setLimits(p.step, p.output, p.limits, false);
    emit selectionChanged();
}

void Session::dropProposal()
{
    if (!m_proposal) return;
    m_proposal.reset();
    emit selectionChanged();
}

} // namespace desktop
