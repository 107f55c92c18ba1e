package tabular

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
)

// scanner finds tags and texts in XML without building a tree. It resolves the five named entities and
// character references, and follows no outside ones.
type scanner struct {
	r      *bufio.Reader
	taken  int64
	held   []byte
	prefix []byte // of the name that tag gave last, with its colon
	raw    []byte // all that stood in that mark
}

func newScanner(r io.Reader) *scanner { return &scanner{r: bufio.NewReaderSize(r, 256<<10)} }

func (x *scanner) until(b byte) ([]byte, error) {
	x.held = x.held[:0]
	for {
		part, err := x.r.ReadSlice(b)
		x.taken += int64(len(part))
		if err == nil && len(x.held) == 0 {
			return part, nil
		}
		if x.held = append(x.held, part...); len(x.held) > MaxRow {
			return nil, errors.New("is a damaged workbook: a part without marks is too long")
		}
		if err == nil {
			return x.held, nil
		}
		if err != bufio.ErrBufferFull {
			if err == io.EOF {
				return nil, io.EOF
			}
			return nil, wrapUnpack(err)
		}
	}
}

func wrapUnpack(err error) error {
	var much *unpacksError
	if errors.As(err, &much) {
		return much
	}
	return fmt.Errorf("is a damaged workbook: %w", err)
}

// tag gives the next tag: its name without a prefix, what stands behind the name (ending in "/" where the
// element is empty), and whether it is a closing tag.
func (x *scanner) tag() (name, attrs []byte, end bool, err error) {
	for {
		for { // to the next mark, however far
			part, err := x.r.ReadSlice('<')
			x.taken += int64(len(part))
			if err == nil {
				break
			}
			if err != bufio.ErrBufferFull {
				if err == io.EOF {
					return nil, nil, false, io.EOF
				}
				return nil, nil, false, wrapUnpack(err)
			}
		}
		body, err := x.until('>')
		if err == io.EOF {
			return nil, nil, false, errors.New("is a damaged workbook: a mark is left open")
		}
		if err != nil {
			return nil, nil, false, err
		}
		body = body[:len(body)-1]
		if len(body) == 0 || body[0] == '?' || body[0] == '!' {
			continue
		}
		if x.raw = body; body[0] == '/' {
			end, body = true, body[1:]
		}
		n := bytes.IndexAny(body, " \t\r\n/")
		if n < 0 {
			n = len(body)
		}
		name, attrs, x.prefix = body[:n], body[n:], nil
		if c := bytes.LastIndexByte(name, ':'); c >= 0 {
			name, x.prefix = name[c+1:], name[:c+1]
		}
		return name, attrs, end, nil
	}
}

// text appends what stands before the next mark to b.
func (x *scanner) text(b []byte) ([]byte, error) {
	for {
		part, err := x.r.ReadSlice('<')
		x.taken += int64(len(part))
		if err == nil {
			_ = x.r.UnreadByte()
			return unescape(append(b, part[:len(part)-1]...), len(b)), nil
		}
		if b = append(b, part...); len(b) > MaxRow {
			return b, errors.New("is a damaged workbook: a text is too long")
		}
		if err == io.EOF {
			return b, errors.New("is a damaged workbook: it breaks off in a text")
		}
		if err != bufio.ErrBufferFull {
			return b, wrapUnpack(err)
		}
	}
}

// unescape resolves references in b from the given place on.
func unescape(b []byte, from int) []byte {
	if bytes.IndexByte(b[from:], '&') < 0 {
		return b
	}
	out := b[:from]
	in := bytes.Clone(b[from:])
	for i := 0; i < len(in); i++ {
		if in[i] != '&' {
			out = append(out, in[i])
			continue
		}
		semi := bytes.IndexByte(in[i:], ';')
		if semi < 0 || semi > 12 {
			out = append(out, '&')
			continue
		}
		ref, whole := string(in[i+1:i+semi]), in[i:i+semi+1]
		i += semi
		switch {
		case ref == "amp":
			out = append(out, '&')
		case ref == "lt":
			out = append(out, '<')
		case ref == "gt":
			out = append(out, '>')
		case ref == "quot":
			out = append(out, '"')
		case ref == "apos":
			out = append(out, '\'')
		case strings.HasPrefix(ref, "#"):
			base, digits := 10, ref[1:]
			if strings.HasPrefix(digits, "x") {
				base, digits = 16, digits[1:]
			}
			if n, err := strconv.ParseUint(digits, base, 21); err == nil {
				out = append(out, string(rune(n))...)
			} else {
				out = append(out, whole...)
			}
		default: // of a definition that no workbook has: it stays in sight
			out = append(out, whole...)
		}
	}
	return out
}

// attribute gives the value of an attribute, nil where it is not there.
func attribute(attrs []byte, name string) []byte {
	for i := 0; i < len(attrs); {
		j := bytes.IndexByte(attrs[i:], '=')
		if j < 0 {
			return nil
		}
		key := bytes.TrimSpace(attrs[i : i+j])
		i += j + 1
		for i < len(attrs) && attrs[i] != '"' && attrs[i] != '\'' {
			i++
		}
		if i >= len(attrs) {
			return nil
		}
		k := bytes.IndexByte(attrs[i+1:], attrs[i])
		if k < 0 {
			return nil
		}
		if string(key) == name {
			return attrs[i+1 : i+1+k]
		}
		i += k + 2
	}
	return nil
}
