// SPDX-License-Identifier: MIT
// By OpenSSL.
#include "digest/hash.h"

#include "hotstitch/error.h"

#if HOTSTITCH_WITH_OPENSSL
#include <openssl/evp.h>

namespace hotstitch {
namespace {

const EVP_MD* algorithm(HashKind kind) {
    switch (kind) {
        case HashKind::md5: return EVP_md5();
        case HashKind::sha1: return EVP_sha1();
        case HashKind::sha256: return EVP_sha256();
    }
    return nullptr;
}

void must(int result) {
    if (result != 1) throw Error(ErrorCode::unsupported, "the system's OpenSSL refuses this checksum");
}

class OpensslHash final : public Hash {
public:
    explicit OpensslHash(HashKind kind) : context_(EVP_MD_CTX_new(), EVP_MD_CTX_free) {
        must(context_ != nullptr && EVP_DigestInit_ex(context_.get(), algorithm(kind), nullptr) == 1 ? 1 : 0);
    }
    void update(ByteView bytes) override { must(EVP_DigestUpdate(context_.get(), bytes.data(), bytes.size())); }
    void finish(MutableByteView into) override {
        must(EVP_DigestFinal_ex(context_.get(), reinterpret_cast<unsigned char*>(into.data()), nullptr));
    }

private:
    std::unique_ptr<EVP_MD_CTX, void (*)(EVP_MD_CTX*)> context_;
};

}  // namespace

std::unique_ptr<Hash> make_hash(HashKind kind) {
    return std::make_unique<OpensslHash>(kind);
}

}  // namespace hotstitch
#else
namespace hotstitch {

std::unique_ptr<Hash> make_hash(HashKind) {
    throw Error(ErrorCode::unsupported, "this build has no MD5, SHA-1 or SHA-256")
        .hint("use crc32 and size, or build with HOTSTITCH_WITH_OPENSSL=ON");
}

}  // namespace hotstitch
#endif
