-- What the first version kept, row by row as it wrote it.
INSERT INTO job (id, name, rate, width, height, target_seconds, chosen_track) VALUES
  ('00000000-0000-0000-0000-000000000001', 'The Long Hour', '24000/1001', 1920, 1080, 45, '00000000-0000-0000-0000-000000000005');
INSERT INTO roll (id, job_id, name, root, folder) VALUES
  ('00000000-0000-0000-0000-000000000002', '00000000-0000-0000-0000-000000000001', 'day one', 'media', 'a');
INSERT INTO clip (id, job_id, roll_id, root, path, name, bytes, recorded_at, recorded_from, state, probe, reading, version) VALUES
  ('00000000-0000-0000-0000-000000000003', '00000000-0000-0000-0000-000000000001', '00000000-0000-0000-0000-000000000002',
   'media', 'a/1.mp4', '1.mp4', 1, '2026-05-12T09:00:00Z', 'metadata', 'ready',
   '{"duration":"4/1","frame_rate":"25/1","variable_rate":false,"width":1920,"height":1080,"rotation":0,"has_sound":true,"codec":"h264","recorded_at":null,"timecode":"3600/1"}',
   '{"duration":4.0,"samples":{"step":0.1,"motion":[0.5,0.5,0.5,0.5,0.5,0.5,0.5,0.5,0.5,0.5],"shake":[],"sharpness":[0.5,0.5,0.5,0.5,0.5,0.5,0.5,0.5,0.5,0.5],"exposure":[],"pan":[0.1,0.1,0.1,0.1,0.1,0.1,0.1,0.1,0.1,0.1],"tilt":[0,0,0,0,0,0,0,0,0,0],"zoom":[0,0,0,0,0,0,0,0,0,0]},"shot_changes":[],"moments":[]}', 1);
INSERT INTO pick (id, job_id, clip_id, verdict) VALUES
  ('00000000-0000-0000-0000-000000000004', '00000000-0000-0000-0000-000000000001', '00000000-0000-0000-0000-000000000003',
   '{"range":{"start":"0/1","end":"1/1","hit":"1/2"},"tier":"hero","tags":["framing:wide"],"note":""}');
INSERT INTO track (id, job_id, root, path, name, bytes, state, probe, reading, part) VALUES
  ('00000000-0000-0000-0000-000000000005', '00000000-0000-0000-0000-000000000001', 'media', 'm.wav', 'm.wav', 1, 'ready', NULL,
   '{"version":12,"duration":20.0,"tempo_bpm":120.0,"confidence":1.0,"loudness":-14.0,"beats":[],"sections":[],"cues":[],"energy":{"step":0.1,"values":[]},"backbeats":[],"onsets":[]}',
   '{"spans":[{"start":"0/1","end":"20/1"}],"fade_in":{"milliseconds":0,"curve":"linear"},"fade_out":{"milliseconds":0,"curve":"linear"},"level":0}');
INSERT INTO draft (id, job_id, number, body) VALUES
  ('00000000-0000-0000-0000-000000000006', '00000000-0000-0000-0000-000000000001', 1,
   '{"track":"00000000-0000-0000-0000-000000000005","version":{"spans":[{"start":"0/1","end":"20/1"}],"fade_in":{"milliseconds":0,"curve":"linear"},"fade_out":{"milliseconds":0,"curve":"linear"},"level":0},"pace":[{"quarters":4,"varied":false}],"cut":{"rate":"24000/1001","shots":[
     {"len":24,"source":{"select":"00000000-0000-0000-0000-000000000004","clip":"00000000-0000-0000-0000-000000000003","start":"0/1","speed":"1/1","turns":[{"at":6,"over":4,"to":"2/1"}],"media":"4/1"},"hit_at":12,"pinned":false,"energy":50.0,"why":["a hero"]},
     {"len":24,"source":{"select":"00000000-0000-0000-0000-000000000004","clip":"00000000-0000-0000-0000-000000000003","start":"100000001/100000000","speed":"1/1","media":"4/1"},"hit_at":null,"pinned":true,"energy":50.0,"why":[]}]}}');
INSERT INTO note (id, draft_id, frame, words) VALUES
  ('00000000-0000-0000-0000-000000000007', '00000000-0000-0000-0000-000000000006', 12, 'late');
INSERT INTO journal (job_id, label, changes) VALUES ('00000000-0000-0000-0000-000000000001', 'pin', '[]');
