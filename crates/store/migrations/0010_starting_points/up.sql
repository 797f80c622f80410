-- Limits from templates say whether anybody has looked at them for this engine.
UPDATE vehicle_limit SET definition = JSON_SET(definition, '$.starting_point', JSON_COMPACT('true'))
  WHERE JSON_VALUE(definition, '$.source') LIKE 'starting point, our choice%' AND JSON_EXTRACT(definition, '$.starting_point') IS NULL;
