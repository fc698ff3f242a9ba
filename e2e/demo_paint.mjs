/** The demo's A-01 painted by mouse, each of its parts as it is told in the colour model. */
import { getJson, onPage, saved } from './browser.mjs';

/** What each part is painted with: places of the drawing and the swatch for the regions there. */
const PLACES = [
    ['Shell plate', [1120, 860], [800, 960], [1400, 960], [785, 715], [690, 860], [860, 680], [1080, 620], [1290, 650]],
    ['Shell plate', [1480, 760], [1560, 900], [660, 980], [701, 1085], [900, 1130], [1000, 1110], [1330, 1120]],
    ['Shell plate', [1580, 1060], [1110, 1075], [960, 1020], [1260, 1010]],
    ['Shell rim', [620, 1170], [770, 1200], [930, 1215], [1010, 1220], [1230, 1220], [1320, 1210], [1460, 1195]],
    ['Shell rim', [1600, 1160], [1020, 1240]],
    ['Skin', [1740, 900], [560, 1190], [750, 1330], [1426, 1361]],
    ['Far legs', [885, 1290], [843, 1463]],
    ['Kettle', [1120, 430], [1120, 360], [1340, 420], [1120, 296]],
    ['Kettle trim', [1120, 540], [1018, 260], [1130, 205]],
    ['Post cap', [1850, 570], [1990, 690], [1796, 640]],
    ['Satchel', [1060, 1160], [1120, 1240]],
    ['Letter', [1120, 1150], [1120, 1175]],
    ['Sea wall', [330, 1600], [690, 1640], [1150, 1604], [1620, 1640], [2040, 1596]],
];

/** What is small, by where it lies: toes, the badge and what is left of the far legs. */
const PARTS = [
    ['Skin', ([, y], area) => y > 1380 && y < 1520 && area < 1000],
    ['Far legs', ([, y], area) => y > 1380 && y < 1520 && area >= 1000 && area < 6000],
    ['Kettle trim', ([x, y]) => x > 1800 && y > 600 && y < 680],
    ['Letter', ([x, y]) => x > 1800 && y > 700 && y < 800],
];

/** Paints the drawing that is open at Paint, as a whole on the page. */
export async function paintFirst(page, url, id) {
    const view = await getJson(url, `/drawings/${id}`);
    const click = async (place) => {
        await page.mouse.click(...(await onPage(page, view, place)));
        await saved(page);
    };
    const take = (swatch) => page.getByRole('button', { name: swatch, exact: true }).click();
    for (const [swatch, ...places] of PLACES) {
        await take(swatch);
        for (const place of places) await click(place);
    }
    for (const [swatch, lies] of PARTS) {
        await take(swatch);
        await page.getByRole('button', { name: 'Fill', exact: true }).click();
        const { regions } = await getJson(url, `/drawings/${id}`);
        for (const r of regions) if (!r.swatch && lies(r.seed, r.area)) await click(r.seed);
    }
}
