// camera_source.h - pictures from a GenICam camera (GigE Vision, USB3 Vision) by Aravis.
//
// Promise  What the recipe wants of the camera is set before its first picture and read back; what the camera refuses is
//          one shot with an error that names setting and bound, and nothing is taken until another recipe comes. A camera
//          that goes away is one such shot too, and is looked for until it is there again; then its settings are set
//          anew. A picture with lost packets is no picture but an error.
// Source   GenICam SFNC 2.3 for the names of features; pixel formats as in PFNC 2.1.
// Threads  open() anywhere; the rest on the line's acquiring thread, counts() anywhere.
#pragma once
#include "station/source.h"

#include <atomic>
#include <memory>

namespace camera
{

struct Found {
    std::string id, vendor, model, serial, address;
};
std::vector<Found> cameras(); // those that answer now

// Grey or colour of a frame: Mono8 to Mono16, RGB8, BGR8, Bayer of 8 to 16 bits made colour by the mean of the
// neighbours; 10 and 12 bits also packed. What has more than 8 bits fills 16 from above. Fails with Unsupported naming the format, Corrupt when bytes are missing.
base::Result<image::Image> pictureOf(const void* bytes, std::size_t size, int width, int height, std::uint32_t format);

class CameraSource : public station::PictureSource
{
public:
    // "" is the first one that is there. Fails with NotFound naming those that are.
    static base::Result<std::unique_ptr<CameraSource>> open(const std::string& id);
    ~CameraSource() override;
    std::string name() const override { return "camera " + m_id; }
    void prepare(const recipe::Recipe& recipe) override;
    std::optional<station::Shot> next(const image::Naming& naming) override;
    bool live() const override { return m_settings.trigger != "software"; }
    std::optional<std::pair<double, double>> exposureBounds() override;
    struct Counts {
        // lost: how often the camera went away; packets: that did not arrive, by GigE Vision, and were not sent again
        std::uint64_t frames = 0, incomplete = 0, lost = 0, packets = 0;
    };
    Counts counts() const { return {m_frames, m_incomplete, m_lost, m_packets}; }
    // What the camera says it is set to; nothing while it is away.
    std::optional<double> exposure() const;
    std::optional<double> gain() const;

private:
    struct Device;
    explicit CameraSource(std::string id);
    base::Status connect();
    base::Status apply();
    void disconnect();
    std::string m_id;
    std::unique_ptr<Device> m_device; // null: away
    recipe::CameraSettings m_settings;
    bool m_prepared = false, m_applied = false, m_said = false; // m_said: the present trouble was one shot
    std::atomic<std::uint64_t> m_frames{0}, m_incomplete{0}, m_lost{0}, m_packets{0};
};

} // namespace camera
