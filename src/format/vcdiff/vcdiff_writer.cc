// SPDX-License-Identifier: MIT
// Tested by tests/format/vcdiff_test.cc.
#include "format/vcdiff/vcdiff_writer.h"

#include <algorithm>

#include "format/vcdiff/integer.h"
#include "hotstitch/text.h"

namespace hotstitch::vcdiff {
namespace {

constexpr std::uint64_t least_window = 64, most_window = std::uint64_t{16} << 20;

/// When nothing has paid by so many bytes of patch, nothing will: the header goes out without a compressor.
constexpr std::size_t most_waiting = std::size_t{32} << 20;

void put_byte(Bytes& out, unsigned value) {
    out.push_back(static_cast<std::byte>(value));
}

/// The part of an edit from `done` on, of `length` bytes.
Edit part_of(const Edit& edit, std::uint64_t done, std::uint64_t length) {
    Edit part = edit;
    part.length = length;
    if (edit.kind == EditKind::copy_source || edit.kind == EditKind::copy_target) part.offset = edit.offset + done;
    return part;
}

}  // namespace

Writer::Writer(ByteView target, ByteSink& patch, const WriterOptions& options)
    : target_(target),
      patch_(patch),
      options_(options.vcdiff),
      application_header_(options.metadata.begin(), options.metadata.end()) {
    if (options_.window < least_window || options_.window > most_window)
        throw Error(ErrorCode::usage, "the window size is out of range")
            .in("window")
            .wanted(fmt::format("{} to {}", least_window, counted(most_window, "byte", "bytes")))
            .found(counted(options_.window, "byte", "bytes"));
    if (options_.lzma) compressor_.emplace(target.size(), options.tick);
    window_.begin(target_, 0);
}

Flow Writer::put(const Edit& edit) {
    for (std::uint64_t done = 0; done < edit.length;) {
        const std::uint64_t part = std::min(edit.length - done, options_.window - window_.made());
        window_.add(part_of(edit, done, part));
        done += part;
        if (window_.made() == options_.window) end_window();
    }
    return Flow::go_on;
}

void Writer::finish() {
    if (window_.made() != 0) end_window();
    if (!header_written_) write_header(false);
    flush();
}

void Writer::end_window() {
    // So few addresses are never worth a compressor.
    constexpr std::size_t few = 24;
    WindowEncoder::Encoded encoded = window_.encode(
        compressor_ && window_.edits() > few ? WindowEncoder::Addresses::alike : WindowEncoder::Addresses::shortest);
    const std::uint64_t length = window_.made();
    unsigned compressed = 0;
    if (compressor_)
        for (unsigned s = 0; s < section_count; ++s)
            if (compressor_->compress(s, encoded.sections[s])) compressed |= 1U << s;

    Bytes rest;
    put_integer(rest, length);
    put_byte(rest, compressed);
    for (const Bytes& section : encoded.sections) put_integer(rest, section.size());
    if (options_.window_checks) {
        const std::uint32_t sum = adler32(target_.subspan(window_.offset(), length)).value;
        for (int shift = 24; shift >= 0; shift -= 8) put_byte(rest, sum >> shift & 0xFF);
    }
    std::uint64_t delta_length = rest.size();
    for (const Bytes& section : encoded.sections) delta_length += section.size();

    const bool segment = encoded.segment_length != 0;
    put_byte(waiting_, (segment ? window_flag::source : 0U) | (options_.window_checks ? window_flag::adler32 : 0U));
    if (segment) {
        put_integer(waiting_, encoded.segment_length);
        put_integer(waiting_, encoded.segment_offset);
    }
    put_integer(waiting_, delta_length);
    waiting_.insert(waiting_.end(), rest.begin(), rest.end());
    for (const Bytes& section : encoded.sections) waiting_.insert(waiting_.end(), section.begin(), section.end());

    if (!header_written_ && (compressed != 0 || !compressor_)) write_header(compressed != 0);
    if (!header_written_ && waiting_.size() >= most_waiting) {
        compressor_.reset();
        write_header(false);
    }
    if (header_written_) flush();
    window_.begin(target_, window_.offset() + length);
}

void Writer::write_header(bool compressed) {
    Bytes header(bytes_of(magic).begin(), bytes_of(magic).end());
    put_byte(header, version);
    put_byte(header, (compressed ? header_flag::compressor : 0U) |
                         (application_header_.empty() ? 0U : header_flag::application));
    if (compressed) put_byte(header, static_cast<unsigned>(Compressor::lzma));
    if (!application_header_.empty()) {
        put_integer(header, application_header_.size());
        header.insert(header.end(), application_header_.begin(), application_header_.end());
    }
    patch_.write(header);
    header_written_ = true;
}

void Writer::flush() {
    patch_.write(waiting_);
    waiting_.clear();
}

}  // namespace hotstitch::vcdiff
