package logs

import (
	"bytes"
	"io"
	"testing"

	"endroit/standin/growth"
)

func TestLogReadTimeIsLinear(t *testing.T) {
	read := func(text []byte) {
		p, err := Inspect(bytes.NewReader(text), Options{})
		if err == nil {
			_, _ = p.Write(bytes.NewReader(text), io.Discard)
		}
	}
	const head = "Time,Process,PID,Operation,Path,Result,Detail\n"
	for name, input := range map[string]growth.Input{
		"rows":                   growth.Repeat(head, "1:00:00.{n},a.exe,7,WriteFile,C:\\Users\\u\\f{n},SUCCESS,\n", ""),
		"rows of one file":       growth.Repeat(head, "1:00:00,a.exe,7,WriteFile,C:\\Users\\u\\f,SUCCESS,\n", ""),
		"processes":              growth.Repeat(head, "1:00:00,a{n}.exe,{n},WriteFile,C:\\Users\\u\\f,SUCCESS,\n", ""),
		"operations":             growth.Repeat(head, "1:00:00,a.exe,7,Op{n},C:\\Users\\u\\f,SUCCESS,\n", ""),
		"homes":                  growth.Repeat(head, "1:00:00,a.exe,7,WriteFile,C:\\Users\\u{n}\\f,SUCCESS,\n", ""),
		"columns":                growth.Repeat("Time,Operation,Path", ",c{n}", "\na,b\na,b\na,b\na,b\na,b\n"),
		"short rows":             growth.Repeat("Time,Operation,Path"+string(bytes.Repeat([]byte(",c"), 900))+"\n", "a,b\n", ""),
		"quotes":                 growth.Repeat(head, "\"a\n", ""),
		"quotes in quotes":       growth.Repeat(head+"\"", "\"\"", ""),
		"objects":                growth.Repeat("", "{\"time\":\"{n}\",\"operation\":\"write\",\"path\":\"/home/u/f{n}\",\"pid\":{n}}\n", ""),
		"objects of other keys":  growth.Repeat("", "{\"operation\":\"write\",\"path\":\"/a\",\"k{n}\":1}\n", ""),
		"an object of many keys": growth.Repeat("{\"operation\":\"write\",\"path\":\"/a\"", ",\"k{n}\":1", "}\n"),
		"a path of many parts":   growth.Repeat(head+"1:00:00,a.exe,7,WriteFile,C:", "\\a", ",SUCCESS,\n"),
	} {
		growth.Hold(t, name, 6<<10, input, read)
	}
	growth.Hunt(t, 2<<10, []string{head, "1:00:00", ",", "a.exe", "WriteFile", "C:\\Users\\u", "\\", "\"", "\n", ";", "{", "}", ":", "[", "]", "\"path\"", "/home/u/x"}, read)
}
