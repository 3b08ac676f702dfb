// source.h - where items come from while running. Every source behaves alike.
//
// Output  next() gives a shot, or nothing when there is no more. A picture that cannot be read is a shot with its
//         error: the next one follows. A source that waits for the world gives an empty shot every second or two, so
//         that the line can stop.
// Threads called on the line's acquiring thread only.
#pragma once
#include "station/line.h"

#include <functional>
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
};

// Pictures of a list, in order; ends after the last one, or starts over. Of a capture of several pictures any of its
// files may be in the list; it is taken once. Files are read here and decoded by those who inspect.
class ListSource : public PictureSource
{
public:
    ListSource(std::string name, std::vector<std::string> pictures, bool again);
    // All pictures of a folder by name. Fails with NotFound when there is none, Io when the folder cannot be read.
    static base::Result<std::unique_ptr<PictureSource>> folder(const std::string& path, bool again);
    static base::Result<std::vector<std::string>> picturesIn(const std::string& path);
    // One path a line; relative ones to the list's folder; empty lines and those beginning with # are passed over.
    // Fails as above.
    static base::Result<std::unique_ptr<PictureSource>> list(const std::string& path, bool again);
    std::string name() const override { return m_name; }
    std::optional<Shot> next(const image::Naming& naming) override;
    const std::vector<std::string>& pictures() const { return m_pictures; }

private:
    std::string m_name;
    std::vector<std::string> m_pictures;
    std::size_t m_at = 0;
    std::set<std::string> m_given; // captures of several pictures, by their first one: once each round
    bool m_again;
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
