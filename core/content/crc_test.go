package content

import (
	"hash/crc32"
	"hash/crc64"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

// The catalogue's check values: what each makes of "123456789".
var checks = map[string]uint64{
	"CRC-8/SMBUS": 0xf4, "CRC-8/MAXIM-DOW": 0xa1, "CRC-8/AUTOSAR": 0xdf, "CRC-8/BLUETOOTH": 0x26,
	"CRC-16/ARC": 0xbb3d, "CRC-16/MODBUS": 0x4b37, "CRC-16/USB": 0xb4c8, "CRC-16/UMTS": 0xfee8, "CRC-16/XMODEM": 0x31c3, "CRC-16/IBM-3740": 0x29b1,
	"CRC-16/GENIBUS": 0xd64e, "CRC-16/KERMIT": 0x2189, "CRC-16/IBM-SDLC": 0x906e, "CRC-16/MCRF4XX": 0x6f91, "CRC-16/DNP": 0xea82,
	"CRC-24/OPENPGP": 0x21cf02, "CRC-32/ISO-HDLC": 0xcbf43926, "CRC-32/JAMCRC": 0x340bc6d9, "CRC-32/BZIP2": 0xfc891918, "CRC-32/MPEG-2": 0x0376e6e7,
	"CRC-32/CKSUM": 0x765e7680, "CRC-32/XFER": 0xbd0be338, "CRC-32/ISCSI": 0xe3069283, "CRC-32/BASE91-D": 0x87315576, "CRC-32/MEF": 0xd2c22f51,
	"CRC-64/ECMA-182": 0x6c40df5f0b497347, "CRC-64/XZ": 0x995dc9bbdf1939fa, "CRC-64/GO-ISO": 0xb90956c775a41001,
}

func TestCRCs(t *testing.T) {
	for _, c := range crcs {
		r := newRegister(c)
		got := r.value(r.update(r.start, []byte("123456789")))
		if want, ok := checks[c.name]; ok {
			assert.Equal(t, want, got, c.name)
		} else {
			assert.Equal(t, uint64(0x2dfd2d88), got, c.name)
		}
		// By eight, by one, and by the linear way it is the same.
		data := make([]byte, 100)
		random := rand.New(rand.NewPCG(1, 2))
		for i := range data {
			data[i] = byte(random.Uint32())
		}
		one := r.start
		for i := range data {
			one = r.update(one, data[i:i+1])
		}
		assert.Equal(t, one, r.update(r.start, data), c.name)
		for _, n := range []int{0, 1, 7, 1000} {
			assert.Equal(t, r.update(one, make([]byte, n)), r.zeros(one, n), c.name)
		}
	}
	r := newRegister(crcs[len(crcs)-2])
	assert.Equal(t, crc64.Checksum([]byte("abc"), crc64.MakeTable(crc64.ECMA)), r.value(r.update(r.start, []byte("abc"))))
	assert.Equal(t, len(checks)+1, len(crcs))
	for _, c := range crcs {
		if c.name == "CRC-32/ISCSI" {
			r := newRegister(c)
			assert.Equal(t, uint64(crc32.Checksum([]byte("abc"), crc32.MakeTable(crc32.Castagnoli))), r.value(r.update(r.start, []byte("abc"))))
		}
	}
}
