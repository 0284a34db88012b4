package content

import "math/bits"

// crc is a cyclic redundancy check by the parameters that its kind is described with:
// width in bits, polynomial, initial register, whether bits go in and out lowest first,
// and what the result is combined with.
type crc struct {
	name           string
	width          uint
	poly, init     uint64
	reflIn, reflUp bool
	xor            uint64
}

// crcs are the common ones, by the names and parameters of the catalogue of parametrised
// CRC algorithms (Greg Cook). The value of each over "123456789" is in the tests.
var crcs = []crc{
	{"CRC-8/SMBUS", 8, 0x07, 0, false, false, 0},
	{"CRC-8/MAXIM-DOW", 8, 0x31, 0, true, true, 0},
	{"CRC-8/AUTOSAR", 8, 0x2f, 0xff, false, false, 0xff},
	{"CRC-8/BLUETOOTH", 8, 0xa7, 0, true, true, 0},
	{"CRC-16/ARC", 16, 0x8005, 0, true, true, 0},
	{"CRC-16/MODBUS", 16, 0x8005, 0xffff, true, true, 0},
	{"CRC-16/USB", 16, 0x8005, 0xffff, true, true, 0xffff},
	{"CRC-16/UMTS", 16, 0x8005, 0, false, false, 0},
	{"CRC-16/XMODEM", 16, 0x1021, 0, false, false, 0},
	{"CRC-16/IBM-3740", 16, 0x1021, 0xffff, false, false, 0},
	{"CRC-16/GENIBUS", 16, 0x1021, 0xffff, false, false, 0xffff},
	{"CRC-16/KERMIT", 16, 0x1021, 0, true, true, 0},
	{"CRC-16/IBM-SDLC", 16, 0x1021, 0xffff, true, true, 0xffff},
	{"CRC-16/MCRF4XX", 16, 0x1021, 0xffff, true, true, 0},
	{"CRC-16/DNP", 16, 0x3d65, 0, true, true, 0xffff},
	{"CRC-24/OPENPGP", 24, 0x864cfb, 0xb704ce, false, false, 0},
	{"CRC-32/ISO-HDLC", 32, 0x04c11db7, 0xffffffff, true, true, 0xffffffff},
	{"CRC-32/JAMCRC", 32, 0x04c11db7, 0xffffffff, true, true, 0},
	{"CRC-32/BZIP2", 32, 0x04c11db7, 0xffffffff, false, false, 0xffffffff},
	{"CRC-32/MPEG-2", 32, 0x04c11db7, 0xffffffff, false, false, 0},
	{"CRC-32/CKSUM", 32, 0x04c11db7, 0, false, false, 0xffffffff},
	{"CRC-32/XFER", 32, 0x000000af, 0, false, false, 0},
	{"CRC-32/ISCSI", 32, 0x1edc6f41, 0xffffffff, true, true, 0xffffffff},
	{"CRC-32/BASE91-D", 32, 0xa833982b, 0xffffffff, true, true, 0xffffffff},
	{"CRC-32/MEF", 32, 0x741b8cd7, 0xffffffff, true, true, 0},
	{"CRC-32, as ISO-HDLC from 0", 32, 0x04c11db7, 0, true, true, 0},
	{"CRC-64/ECMA-182", 64, 0x42f0e1eba9ea3693, 0, false, false, 0},
	{"CRC-64/XZ", 64, 0x42f0e1eba9ea3693, ^uint64(0), true, true, ^uint64(0)},
	{"CRC-64/GO-ISO", 64, 0x1b, ^uint64(0), true, true, ^uint64(0)},
}

// register is a crc made ready. The register's bits lie where the algorithm shifts them:
// at the bottom if the lowest goes first, else at the top of 64.
type register struct {
	crc
	table [8][256]uint64
	start uint64
	zero  [64]matrix // [j] puts 2 to the j zero bytes through, made when needed
	known int
}

// matrix is a linear map of the register's bits: the images of each.
type matrix [64]uint64

func (m *matrix) apply(x uint64) (y uint64) {
	for x != 0 {
		i := bits.TrailingZeros64(x)
		y ^= m[i]
		x &= x - 1
	}
	return y
}

func newRegister(c crc) *register {
	r := &register{crc: c}
	shift := 64 - c.width
	if c.reflIn {
		poly := bits.Reverse64(c.poly) >> shift
		r.start = bits.Reverse64(c.init) >> shift
		for i := range 256 {
			x := uint64(i)
			for range 8 {
				x = x>>1 ^ poly*(x&1)
			}
			r.table[0][i] = x
		}
	} else {
		poly := c.poly << shift
		r.start = c.init << shift
		for i := range 256 {
			x := uint64(i) << 56
			for range 8 {
				x = x<<1 ^ poly*(x>>63)
			}
			r.table[0][i] = x
		}
	}
	for k := 1; k < 8; k++ {
		for i := range 256 {
			x := r.table[k-1][i]
			if c.reflIn {
				r.table[k][i] = x>>8 ^ r.table[0][byte(x)]
			} else {
				r.table[k][i] = x<<8 ^ r.table[0][byte(x>>56)]
			}
		}
	}
	return r
}

// update puts bytes through the register, eight at a time.
func (r *register) update(x uint64, data []byte) uint64 {
	t := &r.table
	if r.reflIn {
		for len(data) >= 8 {
			x ^= uint64(data[0]) | uint64(data[1])<<8 | uint64(data[2])<<16 | uint64(data[3])<<24 | uint64(
				data[4],
			)<<32 | uint64(data[5])<<40 | uint64(data[6])<<48 | uint64(data[7])<<56
			x = t[7][byte(x)] ^ t[6][byte(x>>8)] ^ t[5][byte(x>>16)] ^ t[4][byte(x>>24)] ^ t[3][byte(x>>32)] ^
				t[2][byte(x>>40)] ^ t[1][byte(x>>48)] ^ t[0][x>>56]
			data = data[8:]
		}
		for _, b := range data {
			x = x>>8 ^ t[0][byte(x)^b]
		}
		return x
	}
	for len(data) >= 8 {
		x ^= uint64(data[7]) | uint64(data[6])<<8 | uint64(data[5])<<16 | uint64(data[4])<<24 | uint64(
			data[3],
		)<<32 | uint64(data[2])<<40 | uint64(data[1])<<48 | uint64(data[0])<<56
		x = t[0][byte(x)] ^ t[1][byte(x>>8)] ^ t[2][byte(x>>16)] ^ t[3][byte(x>>24)] ^ t[4][byte(x>>32)] ^
			t[5][byte(x>>40)] ^ t[6][byte(x>>48)] ^ t[7][x>>56]
		data = data[8:]
	}
	for _, b := range data {
		x = x<<8 ^ t[0][byte(x>>56)^b]
	}
	return x
}

// value is the result that a register stands for.
func (r *register) value(x uint64) uint64 {
	if !r.reflIn {
		x >>= 64 - r.width
	}
	if r.reflUp != r.reflIn {
		x = bits.Reverse64(x) >> (64 - r.width)
	}
	return x ^ r.xor
}

// zeros puts n zero bytes through: what the register comes to is linear in what it was,
// so that it takes as many steps as n has bits.
func (r *register) zeros(x uint64, n int) uint64 {
	for j := 0; n != 0; j++ {
		for r.known <= j {
			m := &r.zero[r.known]
			for i := range 64 {
				if r.known == 0 {
					m[i] = r.update(1<<i, []byte{0})
				} else {
					before := &r.zero[r.known-1]
					m[i] = before.apply(before[i])
				}
			}
			r.known++
		}
		if n&1 != 0 {
			x = r.zero[j].apply(x)
		}
		n >>= 1
	}
	return x
}
