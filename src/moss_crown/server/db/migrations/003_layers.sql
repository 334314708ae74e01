-- A frame with all of its passes and mattes as one OpenEXR file, beside its picture, where the take asked for it.
alter table take_frame add column layers bytea;
alter table take_frame alter column layers set storage external;
