import { hashPassword, isPassword } from "./passwords";

test("a password is kept as Argon2id with a salt of its own, at the cost that OWASP names", async () => {
  const [one, other] = await Promise.all([hashPassword("the gulls of Sandsay"), hashPassword("the gulls of Sandsay")]);
  // OWASP "Password Storage Cheat Sheet": m=19456 (19 MiB), t=2, p=1.
  expect(one).toMatch(/^\$argon2id\$v=19\$m=19456,t=2,p=1\$[A-Za-z0-9+/]{22}\$[A-Za-z0-9+/]{43}$/);
  expect(other).not.toBe(one);
  expect(await isPassword("the gulls of Sandsay", one)).toBe(true);
  expect(await isPassword("the gulls of sandsay", one)).toBe(false);
});

test("hashes of the reference implementation are read", async () => {
  // The test vectors of the reference implementation (phc-winner-argon2, test.c), from memory.
  const hash = "$argon2id$v=19$m=65536,t=2,p=1$c29tZXNhbHQ$CTFhFdXPJO1aFaMaO6Mm5c8y7cJHAph8ArZWb2GRPPc";
  expect(await isPassword("password", hash)).toBe(true);
  expect(await isPassword("passwort", hash)).toBe(false);
});

test("the same letters are the same password, however a keyboard composes them", async () => {
  // NIST SP 800-63B, 5.1.1.2: normalised before hashing. "é" in one code point and in two.
  expect(await isPassword("caf\u0065\u0301 on the quay", await hashPassword("caf\u00e9 on the quay"))).toBe(true);
});

test("what is no hash is no password's", async () => {
  for (const hash of ["", "plain", "$argon2id$v=19$m=1", "$2b$10$abcdefghijklmnopqrstuv"])
    expect(await isPassword("the gulls of Sandsay", hash)).toBe(false);
});
