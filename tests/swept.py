"""Tests of `./run bench sweeps` beside those marked `sweep`: what each of them shows, others show as well, in less
time and of another case; each line is how the names begin that it stands for."""

SWEPT = (
    # other builds and devices of what one shows
    "export/test_assembly.py::test_many_graded_shots_are_one_export[system-20]",
    "export/test_assembly.py::test_a_clip_that_goes_on_for_ever_holds_nothing_up[opencl]",
    "export/test_assembly.py::test_a_dissolve_is_the_same_by_every_version[system]",
    "work/test_parts.py::test_every_part_of_a_treated_cut_is_timed[contender1]",
    "work/test_odd_footage.py::test_turned_clips_come_out_upright[180]",
    "work/test_parts.py::test_every_part_of_a_treated_cut_is_timed[contender3]",
    "work/test_match_quality.py::test_by_the_command_line",
    "work/test_fairness.py::test_a_stand_in_that_falls_back_is_caught",  # and `./run bench devices`
    "work/test_odd_footage.py::test_full_range_is_delivered_as_limited_and_looks_the_same[False-10le]",
    "work/test_odd_footage.py::test_full_range_is_delivered_as_limited_and_looks_the_same[True-",
    "work/test_odd_footage.py::test_rgb_is_delivered_in_a_stated_matrix[coded0]",
    "work/test_fairness.py::test_every_run_keeps_how_it_began_and_what_went_on[cold]",
    "work/test_fairness.py::test_a_start_is_as_it_is_called[warm-read]",
    # other containers of what ten show
    "work/test_true_frames.py::test_the_frames_and_the_sound_that_are_meant[mov dnxhr",
    *(
        f"work/test_true_frames.py::{test}[{name}"
        for test in (
            "test_the_frames_and_the_sound_that_are_meant",
            "test_the_viewer_shows_the_frame_it_names",
        )
        for name in (
            "mkv ffv1",
            "m2ts h264",
            "mpeg-ps mpeg2",
            "avi h264",
            "avi mjpeg",
            "flv h264",
            "nut h264",
            "y4m",
            "ts late picture",
            "mov edit list",
            "avi mpeg4",
            "webm vp9",
            "mpegts mpeg2",
            "mxf mpeg2",
            "mkv hevc",
        )
    ),
    # planted faults that the zoo has too
    *(
        f"quality/test_faulty.py::test_each_is_found_and_the_sound_ones_pass[{name}"
        for name in (
            "right]",
            "two frames swapped",
            "a grey frame",
            "right in 10 bit",
            "right in Matroska",
            "one frame short",
            "limited range called full",
            "full range called limited",
            "a frame repeated",
            "wrong matrix",
            "quieter sound",
            "silent sound",
            "sound late by three frames",
            "8 bits in 10",
        )
    ),
    *(
        f"quality/test_beside.py::test_what_was_done_to_an_output_is_found[{filters}"
        for filters in (
            "trim=start_frame=40:end_frame=100,setpts=PTS-STARTPTS,eq",
            "trim=start_frame=39",
            "trim=start_frame=30",
            "trim=start_frame=40:end_frame=100,setpts=PTS-STARTPTS,scale=160",
            "trim=start_frame=42",
        )
    ),
    "quality/test_beside.py::test_another_rate_is_laid_beside_by_time[50]",
    # simulations of more line-ups
    "analysis/test_best.py::test_of_equal_contenders_none_is_called_slower_too_often[12-spreads0]",
    "analysis/test_best.py::test_of_equal_contenders_none_is_called_slower_too_often[4-spreads1]",
    "analysis/test_best.py::test_a_choice_that_is_decided_is_right[0.01]",
    "analysis/test_best.py::test_a_choice_that_is_decided_is_right[0.09]",
    "analysis/test_day_to_day.py::test_nothing_changed_is_called_the_same[8]",
    "analysis/test_blind.py::test_who_only_guesses_is_seldom_called_a_seer[40]",
    # the whole of it, once more
    "quality/test_complexity_sampled.py::test_a_sample_says_where_it_is_calm_and_where_busy",
    "quality/test_frames.py::test_random_access_through_long_groups",
    "analysis/test_factor_effects.py::test_intervals_hold_together_and_nothing_is_made_up",
    "analysis/test_best.py::test_a_choice_that_is_decided_is_right[0.03]",
    "work/test_kinds.py::test_outputs_of_every_kind_are_checked",
    "work/test_references.py::test_upscales_are_judged_against_a_native_master",
    "work/test_devices_over_time.py::test_the_trace_shows_when_the_second_unit_joins[1920x1080-150-100.0]",
    "export/test_treat.py::test_a_device_gives_the_picture_that_software_gives[opencl]",
    "demo/test_demo.py::test_another_processors_film_is_adopted",
    *(f"demo/test_demo.py::test_each_shot_uses_the_range_and_stays_legal[{shot}]" for shot in (0, 1, 4)),
    "quality/test_zoo.py::test_sound_exports_are_not_blamed[slow pan]",
    "work/test_references.py::test_another_excerpt_is_named_and_not_scored",
    "work/test_parts.py::test_every_part_of_a_treated_cut_is_timed[contender2]",
    "quality/test_beside.py::test_another_rate_is_laid_beside_by_time[30000/1001]",
    "desk/test_print_pdf.py::test_one_contender_and_two_hundred[200]",
    "desk/test_verdict_window.py::test_texts_in_the_picture_cover_no_other[1",
    "work/test_command_line.py::test_some_fail_and_the_others_go_on",
    "work/test_scoring.py::test_one_pass_gives_what_each_gets_alone",
    "quality/test_complexity_sampled.py::test_time_that_runs_out_leaves_a_coarser_curve",
    "desk/test_verdict_pages.py::test_all_footage_is_timed_and_weighed_from_the_window",
    "work/test_treated_otherwise.py::test_a_build_that_treats_alike_is_judged_by_the_reference",
    "work/test_references.py::test_the_right_excerpt_is_scored",
    "desk/test_sizes.py::test_what_is_drawn_has_contrast[night]",
    "work/test_fuzz.py::test_timelines_whose_reader_may_fall_over",  # and `./run bench fuzz`
    "work/test_trust.py::test_random_bytes_never_end_in_a_traceback",  # likewise
    "work/test_kinds.py::test_until_the_choice_over_all_is_decided",
    "analysis/test_over_all.py::test_the_bound_over_all_holds",  # and `./run bench verdict`
    "analysis/test_best.py::test_of_equal_contenders_none_is_called_slower_too_often[12-spreads1]",
    "desk/test_verdict_window.py::test_texts_in_the_picture_cover_no_other[42]",  # and `./run bench sizes`
    "demo/test_demo.py::test_each_shot_uses_the_range_and_stays_legal[3]",
    "work/test_true_frames.py::test_the_frames_and_the_sound_that_are_meant[mkv late sound",
    "work/test_odd_footage.py::test_turned_clips_come_out_upright[270]",
    "desk/test_demo_window.py::test_no_text_is_cut",  # and `./run bench sizes`
    "analysis/test_ahead.py::test_the_plan_holds_what_comes[logs0]",
    "work/test_odd_footage.py::test_rgb_is_delivered_in_a_stated_matrix[coded1]",
)
