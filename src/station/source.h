// source.h - where items come from while running. Every source behaves alike.
//
// Output  next() gives a shot, or nothing when there is no more. A picture that cannot be read is a shot with its
//         error: the next one follows. A source that waits for the world gives an empty shot every second or two, so
//         that the line can stop.
// Threads called on the line's acquiring thread only.
#pragma once
#include "station/line.h"

#include <atomic>
#include <functional>
#include <map>
#include <mutex>
#include <set>

namespace station
{

class PictureSource
{
public:
    virtual ~PictureSource() = default;
    virtual std::string name() const = 0;
    // `naming`: of the recipe on the line; which files are one capture.
    virtual std::optional<Shot> next(const image::Naming& naming) = 0;
    // Before a shot is asked for: the recipe it is taken for. A camera applies what that wants, once each.
    virtual void prepare(const recipe::Recipe&) {}
    // True: it goes at its own pace, and what nobody takes in time is lost (and counted). False: it waits.
    virtual bool live() const { return false; }
    // µs; nothing: it has no exposure.
    virtual std::optional<std::pair<double, double>> exposureBounds() { return {}; }
};

// Pictures of a list, in order; ends after the last one, or starts over, or waits for more. Of a capture of several
// pictures any of its files may be in the list; it is taken once. Files are read here and decoded by those who inspect.
class ListSource : public PictureSource
{
public:
    enum class End { Stop, Again, Wait }; // after the last one
    ListSource(std::string name, std::vector<std::string> pictures, bool again);
    // All pictures of a folder by name; with Wait also those that come to it or are written anew, as soon as they are
    // whole. Fails with NotFound when there is none (but for Wait), Io when the folder cannot be read.
    static base::Result<std::unique_ptr<PictureSource>> folder(const std::string& path, End end);
    static base::Result<std::vector<std::string>> picturesIn(const std::string& path);
    // One path a line; relative ones to the list's folder; empty lines and those beginning with # are passed over.
    // Fails as above.
    static base::Result<std::unique_ptr<PictureSource>> list(const std::string& path, bool again);
    std::string name() const override { return m_name; }
    std::optional<Shot> next(const image::Naming& naming) override;
    // Of any thread.
    std::vector<std::string> pictures() const;
    std::size_t position() const; // index of the picture that comes next; the count of pictures when none does
    void seek(std::size_t index); // the next one is this
    void setEnd(End end);

private:
    std::optional<std::string> nextPicture(const image::Naming& naming);
    void lookForNew(const image::Naming& naming);
    std::string m_name, m_folder; // m_folder: looked through for new ones
    mutable std::mutex m_mutex;   // of what follows
    std::vector<std::string> m_pictures;
    std::size_t m_at = 0, m_listed = ~std::size_t(0);
    std::set<std::string> m_given; // captures of several pictures, by their first one: once each round
    End m_end;
    // On the acquiring thread: what every file of the folder was last, and since when.
    struct Seen {
        std::string stamp;
        std::chrono::steady_clock::time_point since;
        bool given = false;
    };
    std::map<std::string, Seen> m_seen;
    std::set<std::string> m_withHoles; // captures that were given without all of their tiles, by their first one
};
// The file's end is there: of a PNG or JPEG its last mark, of others that it is not empty. While one is being written it
// is not whole.
bool looksWhole(const std::string& path);

// A station without a camera: a belt carries parts past a sensor that triggers. What the recipe wants of the camera
// matters: pictures are as bright as exposure, gain and lamp make them, and smeared by what moves meanwhile.
struct Conveyor {
    double perMinute = 0; // parts; 0: the next part comes when it is asked for
    double faults = 0.33; // share of parts with a fault
    double drift = 0;     // of the light, share lost in 1000 parts
    double dropped = 0;   // share of triggers that get lost
    double mmPerSecond = 0;
    std::uint64_t seed = 2211;
    // "speed=120,faults=0.1,drift=0.05,dropped=0.01,belt=50,seed=7"; fails with InvalidArgument or OutOfRange naming
    // word and bound.
    static base::Result<Conveyor> parse(const std::string& text);
};
// A part as the camera gets to see it.
struct Passing {
    int number = 0; // from 0
    bool faulty = false;
    double light = 1; // of exposure, gain and lamp together; 1: as the set was made
    double smearMm = 0;
    std::uint64_t seed = 0;
};
class ConveyorSource : public PictureSource
{
public:
    using Maker = std::function<image::Image(const Passing&)>;
    static constexpr double kUsualExposure = 2000, kLeastExposure = 20, kMostExposure = 100000,
                            kMostGain = 24; // µs, dB
    ConveyorSource(Conveyor conveyor, Maker maker) : m_conveyor(conveyor), m_maker(std::move(maker)) {}
    std::string name() const override { return "simulated station"; }
    std::optional<Shot> next(const image::Naming& naming) override;
    void prepare(const recipe::Recipe& recipe) override;
    bool live() const override { return m_conveyor.perMinute > 0; }
    std::uint64_t dropped() const { return m_dropped; }

    std::optional<std::pair<double, double>> exposureBounds() override
    {
        return std::pair(kLeastExposure, kMostExposure);
    }

private:
    std::chrono::steady_clock::duration period() const;
    Shot whenDue();
    std::optional<Shot> m_coming;
    Conveyor m_conveyor;
    Maker m_maker;
    recipe::CameraSettings m_settings;
    bool m_said = false; // what the recipe wants that cannot be
    int m_at = 0;
    std::atomic<std::uint64_t> m_dropped{0};
    std::optional<std::chrono::steady_clock::time_point> m_due;
};

// A station without a camera: makes a picture on each trigger.
class SimulatedSource : public PictureSource
{
public:
    using Maker = std::function<image::Image(int)>;
    explicit SimulatedSource(Maker maker) : m_maker(std::move(maker)) {}
    std::string name() const override { return "simulated station"; }
    std::optional<Shot> next(const image::Naming& naming) override;

private:
    Maker m_maker;
    int m_at = 0;
};

// Pictures made before, given again and again from memory.
class MemorySource : public PictureSource
{
public:
    MemorySource(std::string name, std::vector<std::shared_ptr<const image::Capture>> pictures)
        : m_name(std::move(name)), m_pictures(std::move(pictures))
    {
    }
    std::string name() const override { return m_name; }
    std::optional<Shot> next(const image::Naming& naming) override;

private:
    std::string m_name;
    std::vector<std::shared_ptr<const image::Capture>> m_pictures;
    std::size_t m_at = 0;
};

} // namespace station
