// SPDX-License-Identifier: MIT
// An archive and its members, only read; a compressed file and its content. Tested by tests/part/part_test.cc.
#include "hotstitch/archive.h"
#include "hotstitch/part.h"
#include "part/kinds.h"

namespace hotstitch {
namespace {

class ArchiveContainer final : public Container {
public:
    ArchiveContainer(const ByteSource& file, std::string_view title, const Limits& limits, const Progress& progress)
        : file_(file), title_(title), limits_(limits), progress_(progress) {}

    KindId kind() const noexcept override { return KindId::archive; }
    std::string title() const override { return std::string(title_); }

    void visit(const VisitPart& visitor) const override {
        ArchiveReader reader(file_, limits_, progress_);
        while (const ArchiveMember* const member = reader.next(true)) {
            Part part{.name = member->name,
                      .kind = PartKind::file,
                      .size = member->size,
                      .offset = {},
                      .head = [member] { return member->head; },
                      .encrypted = member->encrypted};
            if (part.name.empty()) part.name = "content", part.kind = PartKind::content;
            if (!member->link.empty()) part.kind = PartKind::link, part.size = 0, part.storage = PartStorage::link;
            if (visitor(part, [&](ByteSink& out) { reader.extract(out); }) == Flow::stop) break;
        }
        reader.check_rest();
    }

    /// A compressed file takes other content; an archive of several files is only read.
    PutResult put(const Part& part, const SharedSource& content, const PutOptions& options) const override {
        if (part.kind != PartKind::content) return Container::put(part, content, options);
        return put_content(file_, *content, limits_);
    }

private:
    const ByteSource& file_;
    std::string_view title_;
    const Limits limits_;
    const Progress progress_;
};

}  // namespace

std::unique_ptr<Container> open_archive(const ByteSource& file, Identity identity, const Limits& limits,
                                        const Progress& progress) {
    return std::make_unique<ArchiveContainer>(file, identity.kind.title, limits, progress);
}

}  // namespace hotstitch
