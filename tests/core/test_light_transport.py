"""The parts of the bench renderer by themselves: rays against bodies, reflection against its integrals, drawn light."""

from unittest import TestCase

import numpy as np

from saltwort.core.scene.rig.bodies import Ball, Box, Floor, dot, is_open, nearest, normalised, surface_of
from saltwort.core.scene.rig.described import Body, Camera, Lamp, Material, Stage
from saltwort.core.scene.rig.environment import Environment
from saltwort.core.scene.rig.reflection import gloss_of, reflected, reflected_way
from saltwort.core.scene.rig.tracing import trace


def vectors(*rows: tuple[float, float, float]) -> np.ndarray:
    """Vectors, (3, n), float32."""
    return np.array(rows, np.float32).T


def level(*values: float) -> np.ndarray:
    return np.array(values, np.float32)[:, None, None]


class Rays(TestCase):
    def test_a_ball_from_outside_from_inside_and_missed(self) -> None:
        ball = Ball((0, 0, 5), 1)
        origins = vectors((0, 0, 0), (0, 0, 5), (0, 2, 0), (0, 0, 9))
        distance, body = nearest([ball], origins, vectors((0, 0, 1), (0, 0, 1), (0, 0, 1), (0, 0, 1)))
        np.testing.assert_allclose(distance, [4, 1, np.inf, np.inf], atol=1e-5)
        np.testing.assert_array_equal(body, [0, 0, -1, -1])

    def test_a_small_ball_far_away_is_hit_where_it_is(self) -> None:
        """Squared distances of thousands lose a ball of a millimetre unless they are taken at its side."""
        ball = Ball((0, 0, 1000), 0.001)
        origins = vectors((0, 0.0005, 0), (0, 0.0015, 0))
        _, body = nearest([ball], origins, vectors((0, 0, 1), (0, 0, 1)))
        np.testing.assert_array_equal(body, [0, -1])

    def test_boxes_and_floors(self) -> None:
        box, floor = Box((-1, 0, 4), (1, 2, 6)), Floor((0, 0, 0), 3)
        origins = vectors((0, 1, 0), (0, 5, 5), (0, 1, 0), (5, 1, 0))
        ways = vectors((0, 0, 1), (0, -1, 0), (0, -1, 0), (0, -1, 0))
        distance, body = nearest([box, floor], origins, ways)
        np.testing.assert_allclose(distance, [4, 3, 1, np.inf], atol=1e-5)
        np.testing.assert_array_equal(body, [0, 0, 1, -1])

    def test_the_nearest_of_many_is_that_of_trying_each(self) -> None:
        chance = np.random.default_rng(4)
        shapes = [
            *(Ball(tuple(chance.uniform(-3, 3, 3)), float(chance.uniform(0.2, 1))) for _ in range(6)),
            *(Box(tuple(low), tuple(low + chance.uniform(0.2, 1, 3))) for low in chance.uniform(-3, 3, (6, 3))),
            Floor((0, -2, 0), 4),
        ]
        origins = chance.uniform(-4, 4, (3, 500)).astype(np.float32)
        ways = normalised(chance.normal(size=(3, 500)).astype(np.float32))
        distance, body = nearest(shapes, origins, ways)
        each = np.stack([nearest([shape], origins, ways)[0] for shape in shapes])
        np.testing.assert_array_equal(distance, each.min(axis=0))
        hit = np.isfinite(distance)
        np.testing.assert_array_equal(body[hit], each.argmin(axis=0)[hit])
        self.assertTrue((body[~hit] == -1).all())
        free = is_open(shapes, origins, ways, np.full(500, 2, np.float32))
        np.testing.assert_array_equal(free, ~(each < 2).any(axis=0))

    def test_surfaces_have_frames_at_right_angles_that_look_outwards(self) -> None:
        chance = np.random.default_rng(5)
        ball, box = Ball((1, 2, 3), 2), Box((0, 0, 0), (1, 2, 3))
        on_ball = np.array(ball.centre)[:, None] + 2 * normalised(chance.normal(size=(3, 50)))
        sides = vectors((1, 0.5, 1), (0, 0.5, 1), (0.5, 2, 1), (0.5, 0, 1), (0.5, 1, 3), (0.5, 1, 0))
        outwards = vectors((1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0), (0, 0, 1), (0, 0, -1))
        for shape, points in ((ball, on_ball.astype(np.float32)), (box, sides)):
            surface = surface_of(shape, points)
            for first, second in (
                (surface.normals, surface.along_u),
                (surface.normals, surface.along_v),
                (surface.along_u, surface.along_v),
            ):
                np.testing.assert_allclose(dot(first, second), 0, atol=1e-5)
        np.testing.assert_array_equal(surface_of(box, sides).normals, outwards)
        np.testing.assert_allclose(
            surface_of(ball, on_ball.astype(np.float32)).normals,
            (on_ball - np.array(ball.centre)[:, None]) / 2,
            atol=1e-5,
        )

    def test_the_front_of_a_box_shows_its_texture_upright(self) -> None:
        corners = vectors((0.01, 0.01, 0), (0.99, 0.01, 0), (0.01, 1.99, 0))
        uv = surface_of(Box((0, 0, 0), (1, 2, 3)), corners).uv
        np.testing.assert_allclose(uv, [[0.01, 0.99, 0.01], [0.005, 0.005, 0.995]], atol=1e-5)


class Reflection(TestCase):
    """Each is an integral over all ways of light, by as many random ways as the tolerance needs."""

    def integral(self, roughness: float, metalness: float, facing: float, base: float) -> tuple[float, float]:
        """All the light that comes back of light from everywhere, and the whole probability of being found."""
        count = 200_000
        chance = np.random.default_rng(7)
        cosine = np.full(count, facing, np.float32)
        eye = np.stack([np.sqrt(1 - cosine**2), 0 * cosine, cosine])
        gloss = gloss_of(np.full(count, roughness, np.float32), np.full(count, metalness, np.float32), cosine)
        height, turn = chance.random(count), 2 * np.pi * chance.random(count)
        across = np.sqrt(1 - height**2)
        light = np.stack([across * np.cos(turn), across * np.sin(turn), height]).astype(np.float32)
        first, second, third, found = reflected(gloss, eye, light)
        back = first + base * (second + base * third)
        return float(back.mean() * 2 * np.pi), float(found.mean() * 2 * np.pi)

    def test_a_white_surface_sends_all_light_back(self) -> None:
        for roughness in (0.5, 0.8, 1.0):
            for metalness in (0.0, 1.0):
                for facing in (0.4, 1.0):
                    with self.subTest(roughness=roughness, metalness=metalness, facing=facing):
                        back, _ = self.integral(roughness, metalness, facing, 1.0)
                        self.assertAlmostEqual(back, 1.0, delta=0.015)

    def test_a_black_dielectric_sends_back_what_fresnel_says_and_a_black_metal_next_to_nothing(self) -> None:
        back, _ = self.integral(0.5, 0.0, 1.0, 0.0)
        self.assertAlmostEqual(back, 0.04, delta=0.006)  # head on, refractive index 1.5
        grazing, _ = self.integral(0.5, 0.0, 0.2, 0.0)
        self.assertGreater(grazing, 2 * back)
        metal, _ = self.integral(0.5, 1.0, 1.0, 0.0)
        self.assertLess(metal, 0.01)

    def test_what_a_grey_base_sends_back_is_between(self) -> None:
        back, _ = self.integral(0.8, 0.0, 1.0, 0.18)
        self.assertAlmostEqual(back, 0.04 + 0.96 * 0.18, delta=0.015)

    def test_ways_are_found_as_often_as_it_says(self) -> None:
        """The probability sums to one, but for what is drawn below the surface; and drawing by it gives the same."""
        count = 100_000
        chance = np.random.default_rng(8)
        for roughness, facing in ((0.5, 1.0), (0.8, 0.5)):
            _, whole = self.integral(roughness, 0.5, facing, 0.5)
            cosine = np.full(count, facing, np.float32)
            eye = np.stack([np.sqrt(1 - cosine**2), 0 * cosine, cosine])
            gloss = gloss_of(np.full(count, roughness, np.float32), np.full(count, 0.5, np.float32), cosine)
            ways = reflected_way(gloss, eye, chance.random((3, count)).astype(np.float32))
            above = float((ways[2] > 0).mean())
            self.assertAlmostEqual(whole, above, delta=0.01)
            first, second, third, found = reflected(gloss, eye, ways)
            drawn = np.where(found > 0, (first + 0.5 * (second + 0.5 * third)) / np.maximum(found, 1e-12), 0)
            expected, _ = self.integral(roughness, 0.5, facing, 0.5)
            self.assertAlmostEqual(float(drawn.mean()), expected, delta=0.01)


class DrawnLight(TestCase):
    def sky(self) -> Environment:
        radiance = np.full((3, 32, 64), 0.2, np.float32)
        radiance[:, 8:10, 20:23] = 300
        return Environment(radiance, radiance.mean(axis=0))

    def test_drawing_gives_the_light_of_the_whole_sky(self) -> None:
        sky = self.sky()
        chance = np.random.default_rng(9).random((2, 100_000)).astype(np.float32)
        ways, radiance, density = sky.draw(chance)
        np.testing.assert_allclose(np.sqrt(dot(ways, ways)), 1, atol=1e-5)
        again, same = sky.along(ways)
        # On the seam between two texels either may be met.
        self.assertGreater(float((again == radiance).all(axis=0).mean()), 0.999)
        self.assertGreater(float(np.isclose(same, density).mean()), 0.999)
        ring = np.sin((np.arange(32) + 0.5) / 32 * np.pi)[:, None] * 2 * np.pi**2 / (32 * 64)
        expected = float((sky.radiance[0] * ring).sum())
        self.assertAlmostEqual(float((radiance[0] / density).mean()) / expected, 1.0, delta=0.01)

    def test_bright_parts_are_drawn_often(self) -> None:
        _, radiance, _ = self.sky().draw(np.random.default_rng(1).random((2, 1000)).astype(np.float32))
        self.assertGreater(float((radiance[0] > 100).mean()), 0.8)

    def test_directions_of_the_picture(self) -> None:
        """The middle of the picture lies ahead, its top row overhead, its right half to the right."""
        radiance = np.arange(32 * 64, dtype=np.float32).reshape(1, 32, 64)
        sky = Environment(radiance, np.ones((32, 64), np.float32))
        ahead, up, right = sky.along(vectors((0.01, 0.01, 1), (0.001, 1, 0.001), (1, 0.01, 0)))[0][0]
        self.assertEqual(divmod(int(ahead), 64)[0], 15)
        self.assertIn(divmod(int(ahead), 64)[1], (31, 32))
        self.assertEqual(divmod(int(up), 64)[0], 0)
        self.assertEqual(divmod(int(right), 64)[1], 48)


class Transport(TestCase):
    def stage(self, *bodies: Body | Lamp) -> Stage:
        return Stage(1, ("sky", "lamp"), list(bodies), Camera((0, 0.5, -2), 0.1, -0.25))

    def test_light_goes_on_over_a_second_surface(self) -> None:
        """A floor in the shade of a lid gets light from a wall that the lamp reaches."""
        grey = Material(level(0.5), level(1.0), level(0.0))
        floor, lid = Body("floor", Floor((0, 0, 0), 4), grey), Body("lid", Box((-4, 2, -1), (4, 2.1, 4)), grey)
        lamp = Lamp("lamp", Ball((0, 4, -6), 0.5), level(100.0), 1)
        wall = Body("wall", Box((-4, 0, 3), (4, 2, 3.1)), grey)
        shaded, bounced = (
            trace(self.stage(*bodies), 16, 16, 64).layers[1].mean()
            for bodies in ((floor, lid, lamp), (floor, lid, lamp, wall))
        )
        self.assertGreater(float(bounced), float(shaded))

    def test_a_mirror_shows_the_lamp_as_bright_as_it_is(self) -> None:
        mirror = Material(level(1.0), level(0.0), level(1.0))
        stage = Stage(
            1,
            ("sky", "lamp"),
            [Body("mirror", Floor((0, 0, 0), 4), mirror), Lamp("lamp", Ball((0, 2, 4), 1.5), level(3.0), 1)],
            Camera((0, 1, -1), 0.05, -0.5),
        )
        seen = trace(stage, 8, 8, 32).layers[1]
        self.assertAlmostEqual(float(seen.mean()), 3.0, delta=0.1)

    def test_a_lamp_in_sight_is_emission_and_hides_what_is_behind(self) -> None:
        lamp = Lamp("lamp", Ball((0, 0.5, 3), 0.5), level(7.0), 1)
        behind = Body("wall", Box((-4, -4, 6), (4, 4, 6.1)), Material(level(0.5), level(1.0), level(0.0)))
        stage = Stage(1, ("sky", "lamp"), [lamp, behind], Camera((0, 0.5, -2), 0.02))
        found = trace(stage, 8, 8, 4)
        np.testing.assert_allclose(found.emitted[1], 7.0, rtol=1e-6)
        np.testing.assert_allclose(found.layers[1], 7.0, rtol=1e-6)
        np.testing.assert_array_equal(found.bodies, 0)
        np.testing.assert_allclose(found.depth, 4.5, rtol=1e-3)

    def test_progress_is_told_and_may_stop(self) -> None:
        told: list[float] = []
        stage = self.stage(Lamp("lamp", Ball((0, 0.5, 3), 0.5), level(7.0), 1))
        trace(stage, 32, 32, 40, progress=told.append)
        self.assertEqual((told[-1], sorted(told)), (1.0, told))
        self.assertGreaterEqual(len(set(told)), 3, "a picture of many samples can be stopped in between")

        class Stop(Exception):
            pass

        def stop(share: float) -> None:
            raise Stop

        with self.assertRaises(Stop):
            trace(stage, 32, 32, 1, progress=stop)
