// SPDX-License-Identifier: MIT
#pragma once

#include "format/vcdiff/compress/compressor.h"
#include "format/vcdiff/window_encoder.h"
#include "hotstitch/patch.h"

namespace hotstitch::vcdiff {

/// Cuts the edits into windows and writes each as soon as it is full. docs/formats/vcdiff.md section 8.
class Writer final : public PatchWriter {
public:
    Writer(ByteView target, ByteSink& patch, const WriterOptions& options);
    Flow put(const Edit& edit) override;
    void finish() override;

private:
    void end_window();
    void write_header(bool compressed);
    void flush();

    ByteView target_;
    ByteSink& patch_;
    VcdiffOptions options_;
    Bytes application_header_;
    WindowEncoder window_;
    std::optional<SectionCompressor> compressor_;
    /// Whether the header, which names the compressor, is written. Until it is known if one is needed, windows wait.
    bool header_written_ = false;
    Bytes waiting_;
};

}  // namespace hotstitch::vcdiff
