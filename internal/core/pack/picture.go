package pack

import (
	"io/fs"
	"path"
	"slices"
	"strings"

	"github.com/gabriel-vasile/mimetype"
	"github.com/yuin/goldmark/ast"
)

// LargestPicture is how large a picture may be, in bytes.
const LargestPicture = 5 << 20

// pictureTypes are the media types that a picture may have: what every browser shows.
var pictureTypes = []string{"image/png", "image/jpeg", "image/gif", "image/webp", "image/svg+xml"}

// pictures finds the pictures of a paper. Each must be a file of the pack.
func (b *body) pictures(doc ast.Node) (all []Picture) {
	for _, image := range images(doc) {
		name := string(image.Destination)
		if slices.ContainsFunc(all, func(p Picture) bool { return p.Name == name }) {
			continue
		}
		found := Picture{Name: name, Path: path.Join(path.Dir(b.file), name)}
		if wrong := b.readPicture(&found); wrong != "" {
			b.fail(b.file, b.line(blockOf(image).Lines().At(0).Start), "the picture %q %s", name, wrong)
			continue
		}
		all = append(all, found)
	}
	return all
}

// readPicture finds out a picture's media type, or what is wrong with it.
func (b *body) readPicture(p *Picture) (wrong string) {
	if strings.Contains(p.Name, ":") || strings.HasPrefix(p.Name, "/") {
		return "is not a file of the pack: put it in the pack's folder, and name it from the paper's own file on"
	}
	if !fs.ValidPath(p.Path) {
		return "leaves the pack's folder: name a file inside it"
	}
	if b.files == nil {
		if p.MediaType = b.known[p.Name]; p.MediaType == "" {
			return "is not there: add it to the paper, or take it out of the text"
		}
		return ""
	}
	info, err := fs.Stat(b.files, p.Path)
	if err != nil || info.IsDir() {
		return "is not there: the pack has no file " + p.Path
	}
	if info.Size() > LargestPicture {
		return "is larger than 5 MB: save it smaller"
	}
	content, err := fs.ReadFile(b.files, p.Path)
	if err != nil {
		return "cannot be read: " + err.Error()
	}
	var is bool
	if p.MediaType, is = PictureType(content); !is {
		return "is none: PNG, JPEG, GIF, WebP or SVG is expected, and its content is " + p.MediaType
	}
	return ""
}

// PictureType finds out the media type of a content, and whether it is one that a picture may have.
func PictureType(content []byte) (mediaType string, is bool) {
	mediaType = mimetype.Detect(content).String()
	return mediaType, slices.Contains(pictureTypes, mediaType)
}

// blockOf returns the block in which something stands.
func blockOf(n ast.Node) ast.Node {
	for n.Type() == ast.TypeInline {
		n = n.Parent()
	}
	return n
}
