-- Drawings hang in the order of the numbers in their names, 9 before 10, whenever they come.
create collation by_number (provider = icu, locale = 'en-u-kn-true');

-- Those behind a new one move on together.
alter table drawings
    drop constraint drawings_shot_place_key,
    add constraint drawings_shot_place_key unique (shot, place) deferrable initially immediate;
