package asset_test

import (
	"bytes"
	"image"
	"image/jpeg"
	"image/png"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/core/asset"
)

func picture(t *testing.T, w, h int) []byte {
	t.Helper()
	var out bytes.Buffer
	require.NoError(t, png.Encode(&out, image.NewRGBA(image.Rect(0, 0, w, h))))
	return out.Bytes()
}

func TestAssetsAreToldByTheirBytes(t *testing.T) {
	small, wide := asset.Of(picture(t, 16, 16)), asset.Of(picture(t, 32, 16))
	require.Equal(t, "image/png", small.Type)
	require.Contains(t, small.String(), "image/png, 16 × 16, ")
	require.False(t, asset.OtherType(small, wide))
	require.True(t, asset.OtherMeasures(small, wide))
	require.False(t, asset.OtherMeasures(small, small))

	var jpg bytes.Buffer
	require.NoError(t, jpeg.Encode(&jpg, image.NewRGBA(image.Rect(0, 0, 16, 16)), nil))
	require.True(t, asset.OtherType(small, asset.Of(jpg.Bytes())))
	require.False(t, asset.OtherMeasures(small, asset.Of(jpg.Bytes())))

	ogg := asset.Of([]byte("OggS\x00\x02\x00\x00\x00\x00\x00\x00\x00\x00\x01\x02\x03\x04\x00\x00\x00\x00\x01\x02\x03\x04\x01\x1e\x01vorbis"))
	require.Contains(t, ogg.Type, "ogg")
	require.False(t, asset.OtherMeasures(small, ogg), "a sound has none")
	odd := asset.Of([]byte{0, 1, 2, 3, 255, 254})
	require.Contains(t, odd.String(), "data of a kind that is not known")

	require.True(t, asset.MuchLarger(asset.Of(make([]byte, 100)), asset.Of(make([]byte, 100<<10))))
	require.False(t, asset.MuchLarger(asset.Of(make([]byte, 100)), asset.Of(make([]byte, 10<<10))), "nobody minds")
	require.False(t, asset.MuchLarger(asset.Of(make([]byte, 60<<10)), asset.Of(make([]byte, 100<<10))))
}
