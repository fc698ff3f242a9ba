-- Drawings kept from before sheets were laid out: their sheet is their original, lifted without anything by hand.
update drawings set sheet = sheet || jsonb_build_object(
    'original', jsonb_build_array(sheet->'width', sheet->'height'), 'dpi_assumed', false,
    'by_hand', '{}'::jsonb, 'reweighed', '[]'::jsonb)
where not sheet ? 'original';

create function inked(traced jsonb) returns jsonb language sql as $$
    select case when traced ? 'lift' then jsonb_build_object(
        'inking', jsonb_build_object('lift', traced->'lift', 'weight', '{}'::jsonb, 'by_hand', '{}'::jsonb),
        'trace', traced->'trace') else traced end
$$;
update drawings set sheet = jsonb_set(sheet, '{traced}', inked(sheet->'traced'))
where jsonb_typeof(sheet->'traced') = 'object';
update changes set change = jsonb_set(change, '{traced}',
    jsonb_build_array(inked(change->'traced'->0), inked(change->'traced'->1)))
where jsonb_typeof(change->'traced') = 'array';
update changes set change = change || jsonb_build_object('reweighed', '{"removed": [], "added": []}'::jsonb,
    'by_hand', '{"touches": {"removed": [], "added": []}, "inverted": {"removed": [], "added": []}, "protected": {"removed": [], "added": []}}'::jsonb)
where not change ? 'by_hand';
drop function inked;
