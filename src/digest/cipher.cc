// SPDX-License-Identifier: MIT
// By OpenSSL. Tested by tests/part/table_disc_test.cc.
#include "digest/cipher.h"

#include "hotstitch/error.h"

#if HOTSTITCH_WITH_OPENSSL
#include <openssl/evp.h>

#include <memory>
#include <new>

namespace hotstitch {
namespace {

const unsigned char* raw(const std::byte* bytes) {
    return reinterpret_cast<const unsigned char*>(bytes);
}

void run(const Key& key, const Key& iv, ByteView in, MutableByteView out, int encrypt) {
    const std::unique_ptr<EVP_CIPHER_CTX, void (*)(EVP_CIPHER_CTX*)> context(EVP_CIPHER_CTX_new(), EVP_CIPHER_CTX_free);
    if (!context) throw std::bad_alloc();
    int made = 0;
    const bool done =
        EVP_CipherInit_ex(context.get(), EVP_aes_128_cbc(), nullptr, raw(key.data()), raw(iv.data()), encrypt) == 1 &&
        EVP_CIPHER_CTX_set_padding(context.get(), 0) == 1 &&
        EVP_CipherUpdate(context.get(), reinterpret_cast<unsigned char*>(out.data()), &made, raw(in.data()),
                         static_cast<int>(in.size())) == 1;
    if (!done) throw Error(ErrorCode::unsupported, "the system's OpenSSL refuses AES-128");
}

}  // namespace

void decrypt_cbc(const Key& key, const Key& iv, ByteView in, MutableByteView out) {
    run(key, iv, in, out, 0);
}
void encrypt_cbc(const Key& key, const Key& iv, ByteView in, MutableByteView out) {
    run(key, iv, in, out, 1);
}

}  // namespace hotstitch
#else
namespace hotstitch {

void decrypt_cbc(const Key&, const Key&, ByteView, MutableByteView) {
    throw Error(ErrorCode::unsupported, "this build has no AES").hint("build with HOTSTITCH_WITH_OPENSSL=ON");
}
void encrypt_cbc(const Key& key, const Key& iv, ByteView in, MutableByteView out) {
    decrypt_cbc(key, iv, in, out);
}

}  // namespace hotstitch
#endif
