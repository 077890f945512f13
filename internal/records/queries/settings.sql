-- name: SettingValue :one
SELECT value FROM setting WHERE name = $1;
