-- Disks of passes that ended under former versions, whose figures lay side by side, in the form that they have now.
update pass set disks = (
  select coalesce(jsonb_agg(case when jsonb_exists(d, 'progress') then d else
    (d - array['total', 'done', 'read', 'sent', 'zeroed', 'watermark', 'sourceSite', 'sourceVolume', 'targetSite', 'targetVolume',
      'snapshot', 'since', 'anywhere', 'mayDiffer'])
    || jsonb_build_object(
      'progress', jsonb_build_object('total', d->'total', 'done', d->'done', 'read', d->'read', 'sent', d->'sent',
        'zeroed', d->'zeroed', 'watermark', d->'watermark'),
      'from', jsonb_build_object('site', d->'sourceSite', 'volume', d->'sourceVolume', 'snapshot', d->'snapshot',
        'since', d->'since', 'point', ''),
      'to', jsonb_build_object('site', d->'targetSite', 'volume', d->'targetVolume'))
    end order by n), '[]')
  from jsonb_array_elements(disks) with ordinality as x(d, n))
where exists (select 1 from jsonb_array_elements(disks) d where not jsonb_exists(d, 'progress'));
