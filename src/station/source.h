// source.h - where items come from while running. Every source behaves alike.
//
// Output  next() gives a capture, or nothing when there is no more; Fails with the picture's own error, and can be asked again.
// Threads called on the run loop's thread only.
#pragma once
#include "base/result.h"
#include "image/image.h"

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace station
{

class PictureSource
{
public:
    virtual ~PictureSource() = default;
    virtual std::string name() const = 0;
    virtual base::Result<std::optional<image::Capture>> next() = 0;
};

// Pictures of a list, in order; ends after the last one, or starts over.
class ListSource : public PictureSource
{
public:
    ListSource(std::string name, std::vector<std::string> pictures, bool again);
    // All pictures of a folder by name. Fails with NotFound when there is none, Io when the folder cannot be read.
    static base::Result<std::unique_ptr<PictureSource>> folder(const std::string& path, bool again);
    static base::Result<std::vector<std::string>> picturesIn(const std::string& path);
    std::string name() const override { return m_name; }
    base::Result<std::optional<image::Capture>> next() override;

private:
    std::string m_name;
    std::vector<std::string> m_pictures;
    std::size_t m_at = 0;
    bool m_again;
};

// A station without a camera: makes a picture on each trigger.
class SimulatedSource : public PictureSource
{
public:
    using Maker = std::function<image::Image(int)>;
    explicit SimulatedSource(Maker maker) : m_maker(std::move(maker)) {}
    std::string name() const override { return "simulated station"; }
    base::Result<std::optional<image::Capture>> next() override;

private:
    Maker m_maker;
    int m_at = 0;
};

} // namespace station
