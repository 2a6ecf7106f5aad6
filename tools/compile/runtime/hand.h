// Functions that are written by hand: table.go says why. It is included behind the types.
static i64 hand_internal_bytealg_IndexByte(L b, u8 c) { for (u32 k = 0; k < b.n; k++) if (((u8 *)b.p)[k] == c) return k; return -1; }
static i64 hand_internal_bytealg_IndexByteString(S s, u8 c) { for (u32 k = 0; k < s.n; k++) if (s.p[k] == c) return k; return -1; }
static i64 hand_internal_bytealg_Count(L b, u8 c) { i64 n = 0; for (u32 k = 0; k < b.n; k++) n += ((u8 *)b.p)[k] == c; return n; }
static i64 hand_internal_bytealg_CountString(S s, u8 c) { i64 n = 0; for (u32 k = 0; k < s.n; k++) n += s.p[k] == c; return n; }
static i64 hand_internal_bytealg_Compare(L a, L b) { return compare_text((S){a.p, a.n}, (S){b.p, b.n}); }
static i64 hand_internal_bytealg_CompareString(S a, S b) { return compare_text(a, b); }
static u8 hand_internal_bytealg_Equal(L a, L b) { return same_text((S){a.p, a.n}, (S){b.p, b.n}); }
static L hand_internal_bytealg_MakeNoZero(i64 n) { return make_slice(n, n, 1); }
static void hand___sync_Mutex__Lock(P m) {}
static void hand___sync_Mutex__Unlock(P m) {}
static void hand___sync_Once__Do(P once, P f) { u8 *done = there(once); if (*done) return; *done = 1; ((void (*)(P))*(P *)f)(f); }
static P hand_internal_abi_NoEscape(P p) { return p; }
static void hand_time_initLocal(void) {}
#ifdef result_of_hand___time_Location__lookup
static result_of_hand___time_Location__lookup hand___time_Location__lookup(P l, i64 sec) { return (result_of_hand___time_Location__lookup){{(u8 *)"UTC", 3}, 0, -9223372036854775807LL - 1, 9223372036854775807LL, 0}; }
#endif
