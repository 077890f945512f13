package web

import (
	"archive/zip"
	"context"
	"fmt"
	"io"
	"io/fs"

	"github.com/gin-gonic/gin"

	"examen/internal/web/contract"
)

func (s *server) ListPacks(
	ctx context.Context, _ contract.ListPacksRequestObject,
) (contract.ListPacksResponseObject, error) {
	packs, err := s.Library.Packs(ctx, who(ctx))
	out := contract.ListPacks200JSONResponse{}
	for _, p := range packs {
		out = append(out, contract.Pack{
			Name: p.Name, Title: p.Title, Loaded: p.Loaded, Datasets: p.Datasets, Papers: p.Papers,
		})
	}
	return out, err
}

func (s *server) ExportPack(
	ctx context.Context, request contract.ExportPackRequestObject,
) (contract.ExportPackResponseObject, error) {
	files, paths, err := s.Library.PackFiles(ctx, who(ctx), request.Pack)
	if err != nil {
		return nil, err
	}
	ctx.(*gin.Context).Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", request.Pack+".zip"))
	out, in := io.Pipe()
	go func() { in.CloseWithError(zipped(in, files, paths)) }() // it ends when the response does, which closes out
	return contract.ExportPack200ApplicationzipResponse{Body: out}, nil
}

// zipped writes files as a ZIP file, one after another; none is held in memory.
func zipped(to io.Writer, files fs.FS, paths []string) error {
	z := zip.NewWriter(to)
	for _, path := range paths {
		if err := zipFile(z, files, path); err != nil {
			return err
		}
	}
	return z.Close()
}

func zipFile(z *zip.Writer, files fs.FS, path string) error {
	file, err := files.Open(path)
	if err != nil {
		return err
	}
	defer file.Close()
	into, err := z.Create(path)
	if err == nil {
		_, err = io.Copy(into, file)
	}
	return err
}
