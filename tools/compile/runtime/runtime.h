// What every translated program needs: its words, memory and the collector, strings, slices
// and maps. It is included first.
typedef unsigned char u8; typedef signed char i8; typedef unsigned short u16; typedef short i16;
typedef unsigned int u32; typedef int i32; typedef unsigned long long u64; typedef long long i64;
typedef void *P; // a pointer, a map, a function

#define TRAP __builtin_trap()
#define RARE __attribute__((noinline))

void *memset(void *, int, unsigned long); void *memmove(void *, const void *, unsigned long); void *memcpy(void *, const void *, unsigned long);

// A string, a slice, an interface. A function is the address of a block that begins with its
// code; a call hands that address on, and what the function has captured stands behind it.
typedef struct { const u8 *p; u32 n; } S;
typedef struct { P p; u32 n, c; } L;
// A descriptor of a type that an interface holds. What is no pointer is held by its address.
typedef struct { u32 id; P f; } Method;
typedef struct { u8 (*equal)(const void *, const void *); u32 (*hash)(const void *); u32 n; const Method *methods; } Type;
typedef struct { const Type *t; P w; } I;
// A range over a string or a map, a deferred call, and the keys and values of a map.
typedef struct { P x; u32 at, n, moves; } Iterator; // n: of a text its length, of a map the serial number of the newest entry that was given
typedef struct Deferred { struct Deferred *next; u32 site; } Deferred;
typedef struct { u32 key, value; u32 (*hash)(const void *); u8 (*equal)(const void *, const void *); } MapType;

// Memory. Behind what the linker has placed lie blocks of 64 KiB: of objects of one size, or
// the head and the rest of one large object. A block is found by its address, and so is an
// object within it; a bit for each eight bytes says which objects are reached.
extern u8 __heap_base, __global_base;
#define MOST_BLOCKS 4096 // 256 MiB: a program that wants more ends
#define CLASSES 28
static const u16 class_size[CLASSES] = {8, 16, 24, 32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 384, 448, 512, 640, 768, 1024, 1360, 2048, 4096, 8192, 16384};
enum { FREE, HEAD = 254, REST = 255 }; // between them: 1 and the class
typedef struct { u8 kind, reached; u32 size; } Block; // size: of an object; of a head its blocks; of a rest how far the head is
#define GRAY 4096
static struct {
	Block blocks[MOST_BLOCKS];
	u8 bits[MOST_BLOCKS * 1024];
	P free[CLASSES];
	u32 count, since; // blocks; bytes since the newest collection
	u8 *base;
	P gray[GRAY]; // objects that are reached and not looked through yet
	u32 grays;
	u8 over; // there were more
} heap;

static u32 take_blocks(u32 n) { // the first that are free, else new ones
	u32 run = 0;
	for (u32 k = 0; k < heap.count; k++) { run = heap.blocks[k].kind ? 0 : run + 1; if (run == n) return k - n + 1; }
	if (!heap.base) heap.base = (u8 *)(__builtin_wasm_memory_size(0) << 16);
	u32 from = heap.count;
	if (from + n > MOST_BLOCKS || __builtin_wasm_memory_grow(0, n) == (unsigned long)-1) TRAP;
	heap.count += n;
	return from;
}

RARE static P alloc(u32 n) {
	heap.since += n;
	if (n > 16384) {
		u32 m = (n + 65535) >> 16, k = take_blocks(m);
		heap.blocks[k] = (Block){HEAD, 0, m};
		for (u32 i = 1; i < m; i++) heap.blocks[k + i] = (Block){REST, 0, i};
		return memset(heap.base + (k << 16), 0, n);
	}
	u32 c = n ? (n - 1) >> 3 : 0;
	if (n > 64) { c = 8; while (class_size[c] < n) c++; }
	u32 size = class_size[c];
	if (!heap.free[c]) {
		u32 k = take_blocks(1);
		heap.blocks[k] = (Block){1 + c, 0, size};
		u8 *p = heap.base + (k << 16);
		for (u32 o = 65536 / size; o-- > 0;) { *(P *)(p + o * size) = heap.free[c]; heap.free[c] = p + o * size; }
	}
	P r = heap.free[c];
	heap.free[c] = *(P *)r;
	return memset(r, 0, size);
}

static void reach(u32 word) {
	u32 o = word - (u32)heap.base;
	if (word < (u32)heap.base || o >= heap.count << 16) return;
	u32 k = o >> 16;
	Block *b = &heap.blocks[k];
	if (b->kind == FREE) return;
	if (b->kind >= HEAD) {
		if (b->kind == REST) { k -= b->size; b = &heap.blocks[k]; }
		if (b->reached) return;
		b->reached = 1;
		o = k << 16;
	} else {
		u32 in = o & 65535;
		in -= in % b->size;
		if (in + b->size > 65536) return;
		o = (k << 16) + in;
		u8 *bits = &heap.bits[o >> 6], bit = 1 << (o >> 3 & 7);
		if (*bits & bit) return;
		*bits |= bit;
	}
	if (heap.grays == GRAY) { heap.over = 1; return; }
	heap.gray[heap.grays++] = heap.base + o;
}

static void look_through(u32 *from, u32 *to) {
	for (; from < to; from++) reach(*from);
	while (heap.grays) {
		u8 *p = heap.gray[--heap.grays];
		Block *b = &heap.blocks[(u32)(p - heap.base) >> 16];
		for (u32 *w = (u32 *)p, *end = (u32 *)(p + (b->kind == HEAD ? b->size << 16 : b->size)); w < end; w++) reach(*w);
	}
}

RARE static void collect(void) {
	memset(heap.bits, 0, heap.count * 1024);
	for (u32 k = 0; k < heap.count; k++) heap.blocks[k].reached = 0;
	look_through((u32 *)(((u32)&__global_base + 3) & ~3u), (u32 *)&heap);
	look_through((u32 *)(&heap + 1), (u32 *)((u32)&__heap_base & ~3u));
	while (heap.over) { // more was reached than there was room for: whatever is reached is looked through again
		heap.over = 0;
		for (u32 k = 0; k < heap.count; k++) {
			Block *b = &heap.blocks[k];
			u8 *p = heap.base + (k << 16);
			if (b->kind == HEAD && b->reached) look_through((u32 *)p, (u32 *)(p + (b->size << 16)));
			else if (b->kind != FREE && b->kind < HEAD)
				for (u32 o = 0; o + b->size <= 65536; o += b->size)
					if (heap.bits[(k << 10) + (o >> 6)] & 1 << (o >> 3 & 7)) look_through((u32 *)(p + o), (u32 *)(p + o + b->size));
		}
	}
	memset(heap.free, 0, sizeof heap.free);
	for (u32 k = 0; k < heap.count; k++) {
		Block *b = &heap.blocks[k];
		if (b->kind == HEAD && !b->reached) {
			for (u32 m = b->size, i = 0; i < m; i++) b[i].kind = FREE;
		} else if (b->kind != FREE && b->kind < HEAD) {
			u32 live = 0, c = b->kind - 1;
			for (u32 i = 0; i < 256 && !live; i++) live = ((u32 *)&heap.bits[k << 10])[i];
			if (!live) { b->kind = FREE; continue; }
			u8 *p = heap.base + (k << 16);
			for (u32 o = 65536 / b->size; o-- > 0;) {
				u32 at = o * b->size;
				if (!(heap.bits[(k << 10) + (at >> 6)] & 1 << (at >> 3 & 7))) { *(P *)(p + at) = heap.free[c]; heap.free[c] = p + at; }
			}
		}
	}
	heap.since = 0;
}

// The host calls it between calls: it collects if so much has been taken since.
__attribute__((export_name("collect"))) void collect_after(u32 bytes) { if (heap.since >= bytes) collect(); }

// Checks.
static inline u32 bound(i64 i, u32 n) { if ((u64)i >= n) TRAP; return (u32)i; }
static inline P there(const void *p) { if (!p) TRAP; return (P)p; }
static inline i32 div32(i32 a, i32 b) { if (!b) TRAP; return b == -1 ? (i32)(0 - (u32)a) : a / b; }
static inline i64 div64(i64 a, i64 b) { if (!b) TRAP; return b == -1 ? (i64)(0 - (u64)a) : a / b; }
static inline i32 rem32(i32 a, i32 b) { if (!b) TRAP; return b == -1 ? 0 : a % b; }
static inline i64 rem64(i64 a, i64 b) { if (!b) TRAP; return b == -1 ? 0 : a % b; }
static inline u64 some(u64 b) { if (!b) TRAP; return b; }
static inline u64 shift_by(i64 y) { if (y < 0) TRAP; return y; }

// Strings.
RARE static int order(const u8 *a, const u8 *b, u32 n) { for (; n; n--, a++, b++) if (*a != *b) return *a < *b ? -1 : 1; return 0; }
RARE static u8 same_text(S a, S b) { return a.n == b.n && (a.p == b.p || order(a.p, b.p, a.n) == 0); }
RARE static int compare_text(S a, S b) { int c = order(a.p, b.p, a.n < b.n ? a.n : b.n); return c ? c : a.n < b.n ? -1 : a.n > b.n; }
RARE static S join_text(S a, S b) {
	if (!a.n) return b;
	if (!b.n) return a;
	u8 *p = alloc(a.n + b.n);
	memcpy(p, a.p, a.n); memcpy(p + a.n, b.p, b.n);
	return (S){p, a.n + b.n};
}
RARE static S text_of_bytes(L b) { u8 *p = alloc(b.n); memcpy(p, b.p, b.n); return (S){p, b.n}; }
RARE static L bytes_of_text(S s) { u8 *p = alloc(s.n); memcpy(p, s.p, s.n); return (L){p, s.n, s.n}; }
static u32 put_rune(u8 *p, i32 r) {
	if ((u32)r > 0x10ffff || (r >= 0xd800 && r < 0xe000)) r = 0xfffd;
	if (r < 0x80) { p[0] = r; return 1; }
	if (r < 0x800) { p[0] = 0xc0 | r >> 6; p[1] = 0x80 | (r & 63); return 2; }
	if (r < 0x10000) { p[0] = 0xe0 | r >> 12; p[1] = 0x80 | (r >> 6 & 63); p[2] = 0x80 | (r & 63); return 3; }
	p[0] = 0xf0 | r >> 18; p[1] = 0x80 | (r >> 12 & 63); p[2] = 0x80 | (r >> 6 & 63); p[3] = 0x80 | (r & 63);
	return 4;
}
RARE static S text_of_rune(i64 r) { u8 *p = alloc(4); return (S){p, put_rune(p, r > 0x10ffff || r < 0 ? 0xfffd : (i32)r)}; }
RARE static S text_of_runes(L r) {
	u8 *p = alloc(4 * r.n);
	u32 n = 0;
	for (u32 k = 0; k < r.n; k++) n += put_rune(p + n, ((i32 *)r.p)[k]);
	return (S){p, n};
}
RARE static u8 next_rune(Iterator *it, i32 *at, i32 *r) { // what is no UTF-8 is U+FFFD, a byte at a time
	if (it->at >= it->n) return 0;
	const u8 *p = (u8 *)it->x + it->at;
	u32 left = it->n - it->at;
	*at = it->at;
	u8 c = p[0];
	i32 v = 0xfffd;
	u32 w = 1;
#define MORE(k) ((p[k] & 0xc0) == 0x80)
	if (c < 0x80) v = c;
	else if (c >= 0xc2 && c < 0xe0 && left > 1 && MORE(1)) { v = (c & 31) << 6 | (p[1] & 63); w = 2; }
	else if (c >= 0xe0 && c < 0xf0 && left > 2 && MORE(1) && MORE(2)) {
		i32 x = (c & 15) << 12 | (p[1] & 63) << 6 | (p[2] & 63);
		if (x >= 0x800 && (x < 0xd800 || x > 0xdfff)) { v = x; w = 3; }
	} else if (c >= 0xf0 && c < 0xf5 && left > 3 && MORE(1) && MORE(2) && MORE(3)) {
		i32 x = (c & 7) << 18 | (p[1] & 63) << 12 | (p[2] & 63) << 6 | (p[3] & 63);
		if (x >= 0x10000 && x < 0x110000) { v = x; w = 4; }
	}
	it->at += w;
	*r = v;
	return 1;
}
RARE static L runes_of_text(S s) {
	Iterator it = {(P)s.p, 0, s.n, 0};
	i32 at, r, *q = alloc(4 * s.n);
	u32 n = 0;
	while (next_rune(&it, &at, &r)) q[n++] = r;
	return (L){q, n, n};
}

// Slices. A part that is left out is said by has: 1 the end, 2 the most.
RARE static L append(L s, const void *p, u32 n, u32 size) {
	if (!n) return s;
	u32 m = s.n + n;
	if (m > s.c) {
		u32 c = s.c < 256 ? 2 * s.c : s.c + s.c / 4 + 192;
		if (c < m) c = m;
		if (c * size < 8 && size) c = 8 / size;
		if ((u64)c * size > 1 << 28) TRAP;
		P q = alloc(c * size);
		memcpy(q, s.p, s.n * size);
		s.p = q; s.c = c;
	}
	memmove((u8 *)s.p + s.n * size, p, n * size);
	s.n = m;
	return s;
}
RARE static L make_slice(i64 n, i64 c, u32 size) {
	if (n < 0 || c < n || c > 1 << 28 || (u64)c * size > 1 << 28) TRAP;
	return (L){alloc(c * size), n, c};
}
RARE static S part_of_text(S s, i64 from, i64 to, int has) {
	if (!(has & 1)) to = s.n;
	if (from < 0 || to < from || to > s.n) TRAP;
	return (S){s.p + from, to - from};
}
RARE static L part_of_slice(L s, i64 from, i64 to, i64 most, int has, u32 size) {
	if (!(has & 1)) to = s.n;
	if (!(has & 2)) most = s.c;
	if (from < 0 || to < from || most < to || most > s.c) TRAP;
	return (L){(u8 *)s.p + (most > from ? from * size : 0), to - from, most - from};
}

// Interfaces.
static u8 not_comparable(const void *a, const void *b) { TRAP; }
RARE static u8 same_held(I a, I b) {
	if (a.t != b.t) return 0;
	if (!a.t) return 1;
	return a.t->equal ? a.t->equal(a.w, b.w) : a.w == b.w;
}
RARE static u32 hash_bytes(const void *p, u32 n) { const u8 *b = p; u32 h = 2166136261u; while (n--) h = (h ^ *b++) * 16777619u; return h; }
static u32 hash_held(I x) { return !x.t ? 0 : x.t->hash ? x.t->hash(x.w) : hash_bytes(&x.w, sizeof x.w); }
RARE static P method_of(const Type *t, u32 id) {
	if (!t) TRAP;
	for (u32 k = 0; k < t->n; k++) if (t->methods[k].id == id) return t->methods[k].f;
	TRAP;
}

// Maps: the entries in the order in which their keys came, and an open table of their numbers.
// An entry is its hash, its serial number (0: it was deleted), the key, and the value.
typedef struct { const MapType *t; u8 *entries; u32 n, room, live, serial, moves; u32 *table; u32 size; } Map;
static u32 round8(u32 n) { return (n + 7) & ~7u; }
static u32 entry_size(const MapType *t) { return 8 + round8(t->key) + round8(t->value); }
static u32 *entry(Map *m, u32 k) { return (u32 *)(m->entries + k * entry_size(m->t)); }
static P key_of(u32 *e) { return e + 2; }
static P value_of(Map *m, u32 *e) { return (u8 *)(e + 2) + round8(m->t->key); }
static P map_new(const MapType *t) { Map *m = alloc(sizeof(Map)); m->t = t; return m; }
static u32 map_len(P x) { return x ? ((Map *)x)->live : 0; }
RARE static u32 *map_find(Map *m, const void *key, u32 hash) {
	if (!m->size) return 0;
	for (u32 k = hash & (m->size - 1);; k = (k + 1) & (m->size - 1)) {
		u32 i = m->table[k];
		if (!i) return 0;
		u32 *e = entry(m, i - 1);
		if (e[1] && e[0] == hash && m->t->equal(key_of(e), key)) return e;
	}
}
static P map_get(P x, const void *key) {
	Map *m = x;
	if (!m || !m->live) return 0;
	u32 *e = map_find(m, key, m->t->hash(key));
	return e ? value_of(m, e) : 0;
}
static void map_note(Map *m, u32 k) {
	u32 at = entry(m, k)[0] & (m->size - 1);
	while (m->table[at]) at = (at + 1) & (m->size - 1);
	m->table[at] = k + 1;
}
RARE static P map_set(P x, const void *key) {
	Map *m = there(x);
	u32 hash = m->t->hash(key), *e = map_find(m, key, hash);
	if (e) return value_of(m, e);
	if (m->n == m->room) { // what was deleted goes, and the others move
		u32 room = m->live < 4 ? 8 : m->live * 2, n = 0, size = entry_size(m->t);
		u8 *q = alloc(room * size);
		for (u32 k = 0; k < m->n; k++) if (entry(m, k)[1]) memcpy(q + size * n++, entry(m, k), size);
		m->entries = q; m->n = n; m->room = room; m->moves++;
		for (m->size = 1; m->size < room * 2;) m->size *= 2;
		m->table = alloc(4 * m->size);
		for (u32 k = 0; k < n; k++) map_note(m, k);
	}
	u32 k = m->n++;
	e = entry(m, k);
	e[0] = hash; e[1] = ++m->serial;
	memcpy(key_of(e), key, m->t->key);
	memset(value_of(m, e), 0, m->t->value);
	m->live++;
	map_note(m, k);
	return value_of(m, e);
}
static void map_delete(P x, const void *key) {
	Map *m = x;
	if (!m || !m->live) return;
	u32 *e = map_find(m, key, m->t->hash(key));
	if (e) { e[1] = 0; m->live--; }
}
static void map_clear(P x) { Map *m = x; if (m) { m->n = m->room = m->live = m->size = 0; m->entries = 0; m->table = 0; m->moves++; } }
static u8 next_entry(Iterator *it, P *k, P *v) {
	Map *m = it->x;
	if (!m) return 0;
	if (it->moves != m->moves) { it->moves = m->moves; it->at = 0; } // serial numbers say what was given
	while (it->at < m->n) {
		u32 *e = entry(m, it->at++);
		if (e[1] > it->n) { it->n = e[1]; *k = key_of(e); *v = value_of(m, e); return 1; }
	}
	return 0;
}
